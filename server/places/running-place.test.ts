import { mkdtemp } from 'node:fs/promises'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import pino from 'pino'
import { expect, test, vi } from 'vitest'
import { FIRST } from '../../protocol/places.ts'
import { testDatabase } from '../../tests/support/database.ts'
import type { Sql } from '../database/database.ts'
import { migrate } from '../database/migrate.ts'
import { startPlace } from './running-place.ts'

/** The database of a place that refuses some statements. */
async function brittle() {
  const database = await testDatabase()
  await migrate(database)
  const state = { failing: '' }
  const sql: Sql = {
    ...database,
    query: (text, values) =>
      state.failing !== '' && text.includes(state.failing)
        ? Promise.reject(new Error('the database is away'))
        : database.query(text, values),
  }
  return { database, sql, state }
}
const partsOf = async (sql: Sql, id: string) => ({
  ...{ id, sql, size: 'workshop' as const, peer: '' },
  gatewayFolder: join(await mkdtemp(join(tmpdir(), 'kairostat-place-')), 'gateway'),
  log: pino({ level: 'silent' }),
})

test('a place that fails while it starts lets go of its gateway’s folder, and starts on the next try', async () => {
  const { database, sql, state } = await brittle()
  const parts = await partsOf(sql, 'flat')
  // Before its gateway is set running, and after.
  for (const failing of ['paired_gateway', 'update place', 'insert into holding']) {
    state.failing = failing
    await expect(startPlace(parts)).rejects.toThrow('the database is away')
    state.failing = ''
    const running = await startPlace(parts)
    expect((await running.gateway.status()).plane).toBe('simulated')
    await running.stop()
  }
  await database.close()
})

test('a place whose first look fails asks its gateway nothing more', async () => {
  let asked = 0
  const gateway = createServer((_request, response) => {
    asked++
    response.writeHead(503).end()
  })
  await new Promise<void>((resolve) => gateway.listen(0, '127.0.0.1', resolve))
  vi.stubEnv('KAIROSTAT_GATEWAY', `http://127.0.0.1:${(gateway.address() as AddressInfo).port}`)
  vi.stubEnv('KAIROSTAT_GATEWAY_TOKEN', 'a-secret-of-the-test')
  const { database, sql, state } = await brittle()
  try {
    state.failing = 'insert into holding'
    await expect(startPlace(await partsOf(sql, FIRST))).rejects.toThrow('the database is away')
    expect(asked).toBeGreaterThan(0)
    // What was under way ends; a link that goes on would ask once a second.
    await pause(1500)
    const before = asked
    await pause(2500)
    expect(asked).toBe(before)
  } finally {
    vi.unstubAllEnvs()
    gateway.close()
    await database.close()
  }
})
