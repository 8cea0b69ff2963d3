import { mkdtemp } from 'node:fs/promises'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import pino from 'pino'
import { expect, test, vi } from 'vitest'
import type { Sighting } from '../../protocol/gateway/gateway.ts'
import { FIRST } from '../../protocol/places.ts'
import { testDatabase } from '../../tests/support/database.ts'
import type { Sql } from '../database/database.ts'
import { migrate } from '../database/migrate.ts'
import { isTrial, saveTrial } from '../database/place-sql.ts'
import { savePlace } from '../draft/place-sql.ts'
import { knowsNetwork, saveSightings } from '../gateways/sighting-sql.ts'
import { notify } from '../outbox/notify.ts'
import { saveHolding } from './holding-sql.ts'
import { startPlace } from './running-place.ts'

const SIGHTING: Sighting = {
  mac: '02:5e:10:00:00:01',
  hostName: null,
  addresses: [],
  interface: null,
  medium: null,
  connected: true,
  firstSeen: '2026-11-25T12:00:00Z',
  lastSeen: '2026-11-25T12:00:00Z',
}
const PLACE = { name: 'Bindery', timeZone: 'UTC' }

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
  await savePlace(database, PLACE)
  await saveTrial(database, true)
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
    // Calls under way end; a link that goes on would ask once a second.
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

test('a real place without a gateway shows nobody; a made-up network is tried, tells nobody, and leaves nothing', async () => {
  const database = await testDatabase()
  await migrate(database)
  await savePlace(database, PLACE)
  await database.query(
    `insert into webhook (id, url, kinds, author, secret) values ('w', 'http://192.0.2.1/', '["alarm", "backup-failed"]', 'ada', 's')`,
  )
  const running = await startPlace(await partsOf(database, FIRST))
  const written = async () => (await database.query('select from notice')).length
  try {
    expect(running.link.view()).toMatchObject({ state: 'none', status: null, isTrial: false })
    await expect(running.gateway.sightings()).rejects.toThrow('No gateway is connected')
    await running.trial!.set(true, running)
    expect(await running.link.look()).toMatchObject({ status: { plane: 'simulated' }, isTrial: true })
    await vi.waitUntil(() => knowsNetwork(database), { timeout: 20_000 })
    // Notices of the network go to nobody; those of Kairostat itself still do.
    await notify(database, 'alarm', 'made up')
    expect(await written()).toBe(0)
    await notify(database, 'backup-failed', 'real')
    expect(await written()).toBe(1)
    await running.trial!.set(false, running)
    expect(await running.link.look()).toMatchObject({ state: 'none', isTrial: false })
    expect([await isTrial(database), await knowsNetwork(database)]).toEqual([false, false])
    // Data of a real network are not mixed with a made-up one.
    await saveSightings(database, [SIGHTING])
    await expect(running.trial!.set(true, running)).rejects.toMatchObject({ code: 'not-possible' })
  } finally {
    await running.stop()
    await database.close()
  }
})

test('the made-up network that earlier versions ran without being asked is forgotten, a real one is not', async () => {
  for (const isSimulated of [true, false]) {
    const database = await testDatabase()
    await migrate(database)
    await savePlace(database, PLACE)
    await saveHolding(database, { peer: '', state: 'in-force', isSimulated, alarms: 0 })
    await saveSightings(database, [SIGHTING])
    const running = await startPlace(await partsOf(database, FIRST))
    expect(await knowsNetwork(database)).toBe(!isSimulated)
    await running.stop()
    await database.close()
  }
})
