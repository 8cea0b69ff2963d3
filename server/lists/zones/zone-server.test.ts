import { createSocket } from 'node:dgram'
import { once } from 'node:events'
import { connect } from 'node:net'
import { setTimeout as pause } from 'node:timers/promises'
import { encode } from 'dns-packet'
import pino from 'pino'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { ZONES } from '../../../protocol/list-source.ts'
import type { Sql } from '../../database/database.ts'
import { Signer, readKey } from './tsig.ts'
import { startZoneServer, type ZoneServer } from './zone-server.ts'

let queries: number
let zones: ZoneServer
beforeEach(async () => {
  queries = 0
  const sql = {
    query: () => {
      queries++
      return Promise.resolve([])
    },
  } as unknown as Sql
  zones = await startZoneServer({
    places: () => [{ id: 'first', sql, running: null }],
    host: '127.0.0.1',
    port: 0,
    log: pino({ level: 'silent' }),
  })
})
afterEach(() => zones.stop())

const name = `video.${ZONES}`
const question = (id: number, flags = 0) =>
  encode({ type: 'query', id, flags, questions: [{ type: 'AXFR', name }] })
const stranger = readKey(`hmac-sha256:stranger:${Buffer.alloc(32, 1).toString('base64')}`)!
const NOTIFY = 4 << 11

/** Sends a datagram; returns the answers within a moment. */
async function told(message: Buffer): Promise<Buffer | null> {
  const socket = createSocket('udp4').unref()
  const answered = once(socket, 'message') as Promise<[Buffer]>
  socket.send(message, zones.port, '127.0.0.1')
  const answer = await Promise.race([answered.then(([answer]) => answer), pause(500).then(() => null)])
  socket.close()
  return answer
}

test('nothing longer than it comes back to a datagram without a key that is known, and no number of them asks the database more', async () => {
  const many = Buffer.from(question(1))
  many.writeUInt16BE(200, 4)
  const messages = [
    question(1),
    question(2, NOTIFY),
    new Signer(stranger).sign(question(3)),
    new Signer(stranger).sign(question(4, NOTIFY)),
    // Many questions, each of them a pointer to the first.
    Buffer.concat([many, ...Array<Buffer>(199).fill(Buffer.from([192, 12, 0, 252, 0, 1]))]),
  ]
  for (const message of messages) {
    const answer = await told(message)
    expect(answer === null || answer.length <= message.length).toBe(true)
  }
  queries = 0
  await pause(1100)
  await Promise.all(Array.from({ length: 300 }, (_, id) => told(new Signer(stranger).sign(question(id)))))
  expect(queries).toBeLessThan(10)
})

test('of one who reads nothing no more questions are taken, and one client has not all connections', async () => {
  const client = () => connect(zones.port, '127.0.0.1').on('error', () => {})
  const deaf = client().pause()
  const asked = question(1)
  const framed = Buffer.concat([Buffer.from([0, asked.length]), asked])
  // Far more than the buffers of both kernels hold.
  deaf.write(Buffer.concat(Array<Buffer>(1_000_000).fill(framed)))
  await pause(1500)
  expect(deaf.writableLength).toBeGreaterThan(0)
  const more = Array.from({ length: 8 }, () => {
    const one = { isClosed: false }
    client()
      .resume()
      .on('close', () => (one.isClosed = true))
    return one
  })
  await expect.poll(() => more.filter(({ isClosed }) => isClosed).length).toBe(4)
  deaf.destroy()
})
