import { once } from 'node:events'
import { createServer, type Server } from 'node:net'
import { Thread } from '../../node/thread.ts'
import { ListFault } from '../../server/lists/list-fetch.ts'
import { afterEach, expect, test } from 'vitest'

let server: Server
afterEach(() => void server.close())

/**
 * A server of a zone that sends message after message, each full of records whose names are as long as they
 * may be.
 */
async function endlessZone(): Promise<number> {
  const label = Buffer.concat([Buffer.from([63]), Buffer.alloc(63, 'x')])
  const zone = Buffer.concat([
    Buffer.from([3]),
    Buffer.from('rpz'),
    Buffer.from([7]),
    Buffer.from('example\0'),
  ])
  let number = 0
  server = createServer((socket) => {
    socket.on('error', () => {})
    socket.once('data', (query) => {
      const id = query.subarray(2, 4)
      const message = (isFirst: boolean) => {
        const soa = Buffer.concat([
          Buffer.from([192, 12, 0, 6, 0, 1, 0, 0, 0, 1, 0, 22, 0, 0]),
          Buffer.from([0, 0, 0, 7, ...Array<number>(16).fill(1)]),
        ])
        // A long name at a place that pointers reach, then records that are little more than a pointer.
        const long = Buffer.concat([label, label, label, Buffer.from([192, 12])])
        const at = 12 + zone.length + 4 + (isFirst ? soa.length : 0)
        const rest = Buffer.from([0, 5, 0, 1, 0, 0, 0, 1, 0, 2, 192 | (at >> 8), at & 255])
        const records = Array.from({ length: 2500 }, (_, index) =>
          index === 0
            ? Buffer.concat([long, rest])
            : Buffer.concat([
                Buffer.from([8]),
                Buffer.from(String(number++).padStart(8, '0')),
                Buffer.from([192 | (at >> 8), at & 255]),
                rest,
              ]),
        )
        const answers = [...(isFirst ? [soa] : []), ...records]
        const head = Buffer.concat([id, Buffer.from([0x84, 0, 0, 1]), Buffer.alloc(6)])
        head.writeUInt16BE(answers.length, 6)
        const text = Buffer.concat([head, zone, Buffer.from([0, 252, 0, 1]), ...answers])
        const length = Buffer.alloc(2)
        length.writeUInt16BE(text.length)
        return Buffer.concat([length, text])
      }
      socket.write(message(true))
      const more = () => {
        while (!socket.destroyed && socket.write(message(false)));
      }
      socket.on('drain', more)
      more()
    })
  })
  await once(server.listen(0, '127.0.0.1'), 'listening')
  return (server.address() as { port: number }).port
}

test('of a zone without an end so much is taken, in the thread that the build makes, and that is told', async () => {
  const { bundleLists } = (await import('../../scripts/bundle.mjs' as string)) as {
    bundleLists: () => Promise<string>
  }
  const port = await endlessZone()
  const thread = new Thread(new URL(await bundleLists()), {
    errors: { ListFault },
    ended: (error) => error ?? new Error('It ended.'),
    maxMegabytes: 768,
  })
  const zone = { url: `dns://127.0.0.1:${port}/rpz.example`, key: null }
  await expect(thread.call('transfer', [zone, null])).rejects.toThrow(
    /could not be read: the zone is larger than/,
  )
  await thread.stop()
})
