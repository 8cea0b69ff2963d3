import { mkdtemp, readdir } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gunzipSync } from 'node:zlib'
import pino from 'pino'
import { afterAll, beforeAll, expect, onTestFinished, test } from 'vitest'
import { freshDatabase } from '../../tests/support/database.ts'
import { cameFrom } from '../../tests/support/came-from.ts'
import { FIRST } from '../../protocol/places.ts'
import { fillDemo } from '../demo/fill.ts'
import type { Database } from '../database/database.ts'
import { placeTables } from '../database/place-sql.ts'
import { savePlace } from '../draft/place-sql.ts'
import { makeBackup, restoreBackup } from '../operations/backup.ts'
import { copyInto, reviewCopy } from '../draft/copies.ts'
import { putSchedule, putSiteList, readDraft } from '../draft/draft.ts'
import { nextSteps, takeStep } from '../draft/edit.ts'
import { sitesWith } from '../draft/brief-lists.ts'
import { readLive } from '../live/live.ts'
import { overview, searchPlaces } from './overview.ts'
import { invite, join as joinPlace, peopleAnswer, remove } from '../accounts/people.ts'
import { Places } from './places.ts'
import { principalOf, signIn } from '../accounts/sign-in.ts'
import { bearerOf, makeToken } from '../accounts/tokens.ts'

const PASSWORD = 'a-demo-password'
let database: Database
let folder: string
let places: Places
let second: string
const at = (place: string) => database.at(place)

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-places-'))
  process.env.KAIROSTAT_DEMO = PASSWORD
  database = await freshDatabase()
  await fillDemo(database, PASSWORD, 'workshop')
  places = new Places({
    database,
    folder,
    size: 'workshop',
    log: pino({ level: 'silent' }),
    peer: () => 'http://127.0.0.1:1',
  })
  await places.start()
  second = await places.add({ name: 'Paper store', timeZone: 'Europe/Madrid' }, 'demo')
})
afterAll(async () => {
  delete process.env.KAIROSTAT_DEMO
  await places.stop()
  await database.close()
})

/** Returns the rows of each table of a place as text. */
async function rowsAt(place: string, from: Database = database): Promise<Record<string, string>> {
  const rows: Record<string, string> = {}
  for (const table of await placeTables(from)) {
    const [row] = await from
      .at(place)
      .query<{ text: string }>(
        `select coalesce(json_agg(row_to_json(listed) order by row_to_json(listed)::text), '[]')::text as text from "${table}" listed`,
      )
    rows[table] = row!.text
  }
  return rows
}

test('a place sees its own rows alone, in every table; without a place there are none', async () => {
  // Of a database at which nothing runs, nobody else writes into a table meanwhile.
  const quiet = await freshDatabase()
  onTestFinished(() => quiet.close())
  await fillDemo(quiet, PASSWORD, 'workshop')
  await savePlace(quiet.at('store'), { name: 'Paper store', timeZone: 'Europe/Madrid' })
  const tables = await placeTables(quiet)
  expect(tables.length).toBeGreaterThan(40)
  const [first, other] = [await rowsAt(FIRST, quiet), await rowsAt('store', quiet)]
  for (const table of tables) {
    expect([table, first[table]!.includes('"place":"store"')]).toEqual([table, false])
    expect([table, other[table]!.includes(`"place":"${FIRST}"`)]).toEqual([table, false])
    expect(await quiet.query(`select * from "${table}"`)).toEqual([])
  }
  await expect(
    quiet
      .at('store')
      .query(`insert into device_group (place, id, position, name, note) values ('first', 'x', 1, 'X', '')`),
  ).rejects.toThrow(/row-level security/)
  await expect(
    quiet.query(`insert into device_group (id, position, name, note) values ('x', 1, 'X', '')`),
  ).rejects.toThrow()
  // Nothing that one place does to all its rows reaches the other.
  const before = await rowsAt(FIRST, quiet)
  await quiet.at('store').transaction(async (tx) => {
    for (const table of tables) await tx.query(`update "${table}" set place = place`)
    for (const table of tables.toReversed()) await tx.exec(`delete from "${table}"`)
  })
  expect(Object.values(await rowsAt('store', quiet)).every((rows) => rows === '[]')).toBe(true)
  expect(await rowsAt(FIRST, quiet)).toEqual(before)
})

test('the same ids, names and undo stand side by side; revisions count from one at each', async () => {
  const schedule = (await readDraft(at(FIRST))).schedules[0]!
  const made = await putSchedule(at(second), null, { ...schedule, week: 'Mo 10:00-11:00' })
  const made2 = await putSchedule(at(second), made.id, { ...schedule, week: 'Tu 10:00-11:00' })
  expect((await readDraft(at(FIRST))).schedules[0]).toEqual(schedule)
  await takeStep(at(second), 'undo', made2.step!)
  expect((await readDraft(at(second))).schedules[0]!.week).toBe('Mo 10:00-11:00')
  expect((await nextSteps(at(FIRST))).undo).not.toBe(made.step)
  const [one] = await at(second).query(`select coalesce(max(number), 0) + 1 as next from revision`)
  expect(one).toEqual({ next: 1 })
  expect((await readLive(at(second))).revision).toBeNull()
})

test('the sites of a long list are given to the places that have it alone', async () => {
  const entries = Array.from({ length: 600 }, (_, index) => `site-${index}.example`)
  await putSiteList(at(FIRST), null, { name: 'Long', note: '', entries })
  const [row] = await at(FIRST).query<{ digest: string }>(`select digest from site_list where name = 'Long'`)
  expect(await sitesWith(at(FIRST), row!.digest)).toContain('site-599.example')
  expect(await sitesWith(at(second), row!.digest)).toBeNull()
})

test('people are those of a place: who joins one is nobody at the other, and may join that too', async () => {
  const { code } = await invite(at(second), { role: 'editor', limit: null }, 'demo')
  await joinPlace(at(second), { code, name: 'cem', password: 'a long password' }, '192.0.2.1')
  const token = await signIn(at(FIRST), 'cem', 'a long password', cameFrom('192.0.2.1'))
  expect([await principalOf(at(FIRST), token), (await principalOf(at(second), token))?.role]).toEqual([
    null,
    'editor',
  ])
  const bearer = `Bearer ${(await makeToken(at(second), { name: 'x', role: 'editor', days: null }, 'cem')).token}`
  expect([await bearerOf(at(FIRST), bearer), (await bearerOf(at(second), bearer))?.role]).toEqual([
    null,
    'editor',
  ])
  expect((await peopleAnswer(at(FIRST))).people.map(({ name }) => name)).toEqual(['demo'])
  const again = await invite(at(FIRST), { role: 'viewer', limit: null }, 'demo')
  await joinPlace(at(FIRST), { code: again.code, name: 'cem', password: null }, '192.0.2.1')
  expect((await principalOf(at(FIRST), token))?.role).toBe('viewer')
  // The account stays as long as it may use a place.
  await remove(at(FIRST), 'cem')
  expect([await principalOf(at(FIRST), token), (await principalOf(at(second), token))?.role]).toEqual([
    null,
    'editor',
  ])
  await remove(at(second), 'cem')
  expect(await database.query(`select name from account where name = 'cem'`)).toEqual([])
})

test('the overview tells of one’s own places; a search finds what one may edit', async () => {
  expect(await overview(places, at(FIRST), 'demo')).toMatchObject([
    { id: FIRST, name: 'Saltmarsh Bindery', isSimulated: true },
    { id: second, name: 'Paper store', timeZone: 'Europe/Madrid', devices: 0, blocked: 0, next: null },
  ])
  expect(await overview(places, at(FIRST), 'nobody')).toEqual([])
  const mac = (await readDraft(at(FIRST))).devices[0]!.adapters[0]!.mac
  const found = await searchPlaces(places, at(second), 'demo', mac)
  expect(found).toEqual([expect.objectContaining({ place: FIRST, kind: 'device' })])
  expect(await searchPlaces(places, at(second), 'nobody', mac)).toEqual([])
  expect(await searchPlaces(places, at(second), 'demo', '%_')).toEqual([])
})

test('entries are copied by their names, after a look at what it changes, in one edit', async () => {
  const { schedules } = await readDraft(at(FIRST))
  const wish = { from: FIRST, kind: 'schedule' as const, ids: schedules.map(({ id }) => id) }
  const review = () => reviewCopy(places, at(second), 'demo', wish)
  const before = await readDraft(at(second))
  expect((await review()).map(({ does }) => does)).toEqual([
    'replace',
    ...schedules.slice(1).map(() => 'add'),
  ])
  expect((await review())[0]!.words).toEqual([expect.stringContaining('Monday 10:00 to 11:00')])
  const { step } = await copyInto(places, at(second), 'demo', wish)
  const copied = (await readDraft(at(second))).schedules
  expect(copied.map(({ id: _id, ...rest }) => rest)).toEqual(schedules.map(({ id: _id, ...rest }) => rest))
  expect((await review()).every(({ does }) => does === 'nothing')).toBe(true)
  await takeStep(at(second), 'undo', step!)
  expect(await readDraft(at(second))).toEqual(before)
  await expect(reviewCopy(places, at(second), 'nobody', wish)).rejects.toMatchObject({
    code: 'not-your-place',
  })
  await expect(copyInto(places, at(second), 'demo', { ...wish, ids: ['nowhere'] })).rejects.toMatchObject({
    code: 'not-found',
  })
})

test('a backup holds every place, and gives each back; removing one leaves the other as it was', async () => {
  const again = await freshDatabase('bare')
  const backup = await makeBackup(database, folder, [])
  await restoreBackup(again, backup, folder)
  const { tables } = JSON.parse(gunzipSync(backup).toString()) as {
    tables: Record<string, readonly { place: string }[]>
  }
  for (const place of [FIRST, second])
    for (const [table, text] of Object.entries(await rowsAt(place, again))) {
      // Of look-ups there may be thousands by now.
      const textOf = (row: object) => JSON.stringify(Object.entries(row).sort())
      const restored = new Set((JSON.parse(text) as object[]).map(textOf))
      const missing = tables[table]!.filter((row) => row.place === place && !restored.has(textOf(row)))
      expect([table, missing]).toEqual([table, []])
    }
  await again.close()
  await expect(places.remove(FIRST)).rejects.toMatchObject({ code: 'not-possible' })
  const before = await rowsAt(FIRST)
  await places.remove(second)
  const after = await rowsAt(FIRST)
  // Its gateway goes on seeing devices meanwhile.
  const GOES_ON = new Set(['audit', 'holding', 'lookup', 'sighting', 'usage_hour'])
  for (const table of Object.keys(before).filter((name) => !GOES_ON.has(name)))
    expect([table, after[table]]).toEqual([table, before[table]])
  expect(after.audit).toContain('Place “Paper store” removed')
  expect(Object.values(await rowsAt(second)).every((text) => text === '[]')).toBe(true)
  await expect(places.remove(second)).rejects.toMatchObject({ code: 'not-found' })
  expect(await readdir(folder)).not.toContain(second)
  // Reports of its gateway during the removal do not go to the next place of its name.
  await at(second).query(`insert into draft_step (changes) values ('[]')`)
  expect(await places.add({ name: 'Paper store', timeZone: 'UTC' }, 'demo')).toBe(second)
  expect(await at(second).query('select * from draft_step')).toEqual([])
})
