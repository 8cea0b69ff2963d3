import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import { newDatabase } from '../support/database.ts'
import { PASSWORD, SETUP_CODE, startPlace } from '../support/place.ts'
import { startPostgres, type PostgresServer } from '../support/postgres.ts'

let server: PostgresServer
beforeAll(async () => {
  server = await startPostgres()
})
afterAll(() => server.stop())

test('the application keeps a place on a server: through kill -9 of itself and of the server', async () => {
  const DATABASE_URL = await newDatabase(server.url)
  const place = await startPlace({ DATABASE_URL })
  try {
    const setUp = {
      code: SETUP_CODE,
      name: 'demo',
      password: PASSWORD,
      place: { name: 'Bindery', timeZone: 'Europe/Lisbon' },
    }
    expect((await place.send('POST', '/api/setup', { body: setUp })).status).toBe(200)
    const cookie = await place.signIn()
    const groupsOf = async () => {
      const { groups } = (await (await place.send('GET', '/api/draft', { cookie })).json()) as {
        groups: { name: string }[]
      }
      return groups.map(({ name }) => name)
    }
    const make = async (name: string) =>
      (await place.send('POST', '/api/groups', { cookie, body: { name, note: '' } })).status
    expect(await make('Upstairs')).toBe(200)

    await place.kill()
    await place.start()
    expect(await groupsOf()).toContain('Upstairs')
    await server.restart()
    await vi.waitUntil(async () => (await make('Downstairs')) === 200, { timeout: 20_000, interval: 500 })
    expect(await groupsOf()).toContain('Downstairs')
  } finally {
    await place.stop()
  }
}, 120_000)
