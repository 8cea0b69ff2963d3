import { spawn } from 'node:child_process'
import { mkdtemp, readdir, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { policies } from '../../tests/support/arbitraries.ts'
import { readDraft } from '../draft/draft.ts'
import { fillDraft } from '../draft/edit.ts'
import { tell, type Database } from './database.ts'
import { siteLists } from '../draft/list-sql.ts'
import { LockedFolder, lockFolder } from '../../node/lock.ts'
import { migrate } from './migrate.ts'
import { MIGRATIONS } from './migrations.ts'
import { learnedNames, refusedNames, saveLookups, seenNames } from '../activity/lookup-sql.ts'
import { addOverride, liftOverride, overrideActs, overrides } from '../live/override-sql.ts'
import { saveSightings, sightings } from '../gateways/sighting-sql.ts'
import { testDatabase } from '../../tests/support/database.ts'

let sql: Database
beforeAll(async () => {
  sql = await testDatabase()
  await migrate(sql)
})
afterAll(() => sql.close())

test('migrating again changes nothing, and data of a newer program is refused', async () => {
  await migrate(sql)
  await sql.query('insert into migration (number) values (9999)')
  await expect(migrate(sql)).rejects.toThrow('newer Kairostat')
  await sql.query('delete from migration where number = 9999')
})

test('what an earlier program wrote is brought to the newest shape', async () => {
  const old = await testDatabase('bare')
  await old.exec(
    'create table migration (number int primary key, applied_at timestamptz not null default now())',
  )
  for (const { number, text } of MIGRATIONS.slice(0, 2)) {
    await old.exec(text)
    await old.query('insert into migration (number) values ($1)', [number])
  }
  await old.exec(`insert into site_list (id, position, name, note) values ('a', 1, 'A', ''), ('b', 2, 'B', 'empty');
    insert into site_entry (list_id, position, entry) values ('a', 2, 'tilefall.example'), ('a', 1, 'bücher "x".example');
    insert into override (id, effect, who, from_at, until_at, author, note) values ('late', 'allow', '{"devices":["till"]}', '2026-11-23T08:00:00Z', null, 'marta', 'A call')`)
  await migrate(old)
  expect((await siteLists(old)).map(({ id, entries }) => [id, entries])).toEqual([
    ['a', ['bücher "x".example', 'tilefall.example']],
    ['b', []],
  ])
  const named = {
    devices: ['till'],
    groups: [],
    networks: [],
    macs: [],
    except: { devices: [], groups: [], networks: [] },
  }
  expect(await overrideActs(old, 9)).toEqual([
    {
      override: 'late',
      act: 'made',
      what: null,
      more: null,
      effect: 'allow',
      who: { everyone: false, newcomers: false, ...named },
      until: null,
      note: 'A call',
      author: 'marta',
      at: '2026-11-23T08:00:00Z',
    },
  ])
  await old.close()
})

test('any policy that is filled into the draft is read back as it was', async () => {
  await fc.assert(
    fc.asyncProperty(policies, async (policy) => {
      await sql.exec('truncate place, device, device_group, schedule, site_list, app, rule cascade')
      await fillDraft(sql, policy)
      expect(await readDraft(sql)).toEqual({ ...policy, overrides: [], spent: [] })
    }),
    { numRuns: 40 },
  )
})

test('a transaction that fails leaves nothing behind, and tells nothing', async () => {
  const heard: string[] = []
  await sql.listen(
    (_place, topic) => heard.push(topic),
    () => {},
  )
  await expect(
    sql.transaction(async (tx) => {
      await tx.query(
        `insert into device (id, position, name, shielded, note) values ('ghost', 1, 'Ghost', false, '')`,
      )
      await tell(tx, 'draft')
      throw new Error('no')
    }),
  ).rejects.toThrow('no')
  await tell(sql, 'live')
  expect(await sql.query(`select * from device where id = 'ghost'`)).toEqual([])
  await expect.poll(() => heard).toEqual(['live'])
})

test.each([
  [
    `insert into adapter (mac, device_id, position, medium) values ('02:5e:10:00:00:99', 'nobody', 1, 'wifi')`,
  ],
  [`insert into adapter (mac, device_id, position, medium) values ('02-5E-10-00-00-99', 'd0', 1, 'wifi')`],
  [`insert into group_member (group_id, device_id, position) values ('g0', 'nobody', 1)`],
  [
    `insert into rule (id, position, name, enabled, effect, everyone, newcomers, internet, timing, note) values ('x', 1, 'X', true, 'deny', true, true, true, 'always', '')`,
  ],
  [
    `insert into rule (id, position, name, enabled, effect, everyone, newcomers, internet, timing, note) values ('x', 1, 'X', true, 'block', true, true, true, 'once', '')`,
  ],
  [`insert into place (id, name, time_zone) values ('', 'Elsewhere', 'UTC')`],
  [
    `insert into schedule_exception (schedule_id, position, from_date, until_date, hours) values ('s0', 99, '2026-12-26', '2026-12-24', 'off')`,
  ],
])('the tables refuse: %s', async (statement) => {
  await expect(sql.query(statement)).rejects.toThrow(/violates/)
})

test('an override is lifted at the second, and its traces stay', async () => {
  const who = {
    everyone: true,
    newcomers: false,
    devices: [],
    groups: [],
    networks: [],
    macs: [],
    except: { devices: [], groups: [], networks: [] },
  }
  const at = (seconds: number) =>
    new Date(Math.floor(Date.now() / 1000 + seconds) * 1000).toISOString().replace('.000', '')
  await addOverride(
    sql,
    {
      id: 'old',
      effect: 'allow',
      who,
      what: null,
      more: null,
      from: at(-90_000 * 9),
      until: at(-86_400 * 9),
      note: '',
    },
    'me',
  )
  await addOverride(
    sql,
    { id: 'running', effect: 'allow', who, what: null, more: null, from: at(-60), until: null, note: '' },
    'me',
  )
  await addOverride(
    sql,
    { id: 'later', effect: 'block', who, what: null, more: null, from: at(600), until: at(900), note: '' },
    'me',
  )
  expect((await overrides(sql)).map(({ id }) => id)).toEqual(['running', 'later'])
  expect([
    await liftOverride(sql, 'running', 'marta'),
    await liftOverride(sql, 'later', 'marta'),
    await liftOverride(sql, 'running', 'marta'),
    await liftOverride(sql, 'nobody', 'marta'),
  ]).toEqual([true, true, false, false])
  const [lifted, ...rest] = await overrides(sql)
  expect([lifted!.id, rest]).toEqual(['running', []])
  expect(Math.abs(Date.parse(lifted!.until!) - Date.now())).toBeLessThan(5000)
  expect((await overrideActs(sql, 3)).map(({ override, act, author }) => [override, act, author])).toEqual([
    ['later', 'lifted', 'marta'],
    ['running', 'lifted', 'marta'],
    ['later', 'made', 'me'],
  ])
})

test('runs of look-ups are counted once however often they come, and tell what is usual and who else', async () => {
  const now = Math.floor(Date.now() / 1000)
  const ago = (minutes: number) => new Date((now - minutes * 60) * 1000).toISOString().replace('.000', '')
  const [MINE, HERS] = ['02:5e:10:00:00:01', '02:5e:10:00:00:02']
  const run = (
    mac: string,
    name: string,
    first: number,
    last: number,
    tries: number,
    effect: 'allow' | 'block' = 'allow',
  ) => ({ mac, name, effect, first: ago(first), last: ago(last), tries })
  await saveLookups(sql, [
    run(MINE, 'mail.example', 90, 60, 3),
    run(MINE, 'mail.example', 20, 10, 4),
    run(MINE, 'quill.example', 20, 15, 2, 'block'),
    run(HERS, 'quill.example', 400, 400, 1),
    run(HERS, 'old.example', 60 * 24 * 15, 60 * 24 * 15, 1),
  ])
  await saveLookups(sql, [{ ...run(MINE, 'mail.example', 20, 5, 6) }])
  expect(await seenNames(sql)).toEqual([
    { name: 'mail.example', adapters: 1, tries: 9, blocked: 0, last: ago(5) },
    { name: 'quill.example', adapters: 2, tries: 3, blocked: 2, last: ago(15) },
  ])
  expect(await learnedNames(sql, [MINE], ago(30), ago(0))).toEqual([
    { name: 'mail.example', tries: 6, first: ago(20), last: ago(5), usual: true, others: [] },
    { name: 'quill.example', tries: 2, first: ago(20), last: ago(15), usual: false, others: [HERS] },
  ])
  expect(await learnedNames(sql, [MINE], ago(4), ago(0))).toEqual([])
  expect(await refusedNames(sql, [MINE, HERS], ago(500), ago(0))).toEqual([
    { name: 'quill.example', tries: 2 },
  ])
  expect(await refusedNames(sql, [MINE], ago(14), ago(0))).toEqual([])
})

test('an address that is gone stays findable, with what was known of it', async () => {
  const seen = (mac: string, more = {}) => ({
    mac,
    hostName: 'till',
    addresses: ['192.0.2.1'],
    interface: 'br-lan',
    medium: 'wifi' as const,
    connected: true,
    leftAlone: false,
    firstSeen: '2026-01-02T00:00:00Z',
    lastSeen: '2026-11-23T00:00:00Z',
    ...more,
  })
  await saveSightings(sql, [seen('02:5e:10:00:00:01'), seen('02:5e:10:00:00:02')])
  await saveSightings(sql, [
    seen('02:5e:10:00:00:02', {
      hostName: null,
      medium: null,
      firstSeen: '2026-05-01T00:00:00Z',
      lastSeen: '2026-11-24T00:00:00Z',
      addresses: ['192.0.2.9', '2001:db8::9'],
    }),
  ])
  expect(await sightings(sql)).toEqual([
    seen('02:5e:10:00:00:02', { addresses: ['192.0.2.9', '2001:db8::9'], lastSeen: '2026-11-24T00:00:00Z' }),
    seen('02:5e:10:00:00:01', { connected: false }),
  ])
})

describe('the lock of a data folder', () => {
  const folder = () => mkdtemp(join(tmpdir(), 'kairostat-lock-'))

  test('is given to one, and to the next when it is given back', async () => {
    const place = await folder()
    const unlock = await lockFolder(place)
    await expect(lockFolder(place)).rejects.toThrow(LockedFolder)
    await expect(lockFolder(place)).rejects.toThrow(`in use by process ${process.pid}`)
    await unlock()
    await (
      await lockFolder(place)
    )()
    expect(await readdir(place)).toEqual([])
  })

  test('of a process that was killed, or of an earlier boot with the same number, is taken over', async () => {
    const place = await folder()
    const child = spawn(process.execPath, ['-e', 'setInterval(() => {}, 1000)'])
    const gone = new Promise((resolve) => child.once('exit', resolve))
    child.kill('SIGKILL')
    await gone
    for (const left of [String(child.pid), `${process.pid} another-boot 12345`, '', 'nonsense']) {
      await writeFile(join(place, 'lock'), left)
      await (
        await lockFolder(place)
      )()
    }
  })

  test('goes to one of many that ask at once for a dead one', async () => {
    const place = await folder()
    await writeFile(join(place, 'lock'), '999999999')
    const results = await Promise.allSettled(Array.from({ length: 8 }, () => lockFolder(place)))
    expect(results.filter(({ status }) => status === 'fulfilled').length).toBe(1)
  })
})
