import { spawnSync } from 'node:child_process'
import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join, resolve } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { gzipSync } from 'node:zlib'
import pg from 'pg'
import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import { fillDemo } from '../../server/demo/fill.ts'
import { openData, openDatabase } from '../../server/operations/data-folder.ts'
import { signIn } from '../../server/accounts/sign-in.ts'
import { tell, type Database, type Sql } from '../../server/database/database.ts'
import { record } from '../../server/accounts/audit.ts'
import { addStep, nextSteps } from '../../server/draft/draft-step-sql.ts'
import { migrate } from '../../server/database/migrate.ts'
import { removePlace } from '../../server/database/place-sql.ts'
import { savePlace } from '../../server/draft/place-sql.ts'
import { openServer } from '../../server/database/postgres.ts'
import { cameFrom } from '../support/came-from.ts'
import { asFirst, newDatabase } from '../support/database.ts'
import { startPostgres, type PostgresServer } from '../support/postgres.ts'

let server: PostgresServer
let folder: string
beforeAll(async () => {
  server = await startPostgres()
  folder = await mkdtemp(join(tmpdir(), 'kairostat-move-'))
})
afterAll(async () => {
  await server.stop()
  await rm(folder, { recursive: true, force: true })
})

const lost = vi.fn()
const open = async () => asFirst(await openServer(await newDatabase(server.url), lost))

test('entries of the audit log are committed in the order of their numbers: who follows it misses none', async () => {
  const sql = await open()
  await migrate(sql)
  const by = { account: 'ada', address: '' }
  const told: number[] = []
  let isOver = false
  // A follower that reads on from the last number it saw, as log servers are told.
  const following = (async () => {
    while (!isOver || told.length === 0) {
      const rows = await sql.query<{ number: number }>(
        'select number from audit where number > $1 order by number',
        [told.at(-1) ?? 0],
      )
      told.push(...rows.map(({ number }) => number))
    }
  })()
  await Promise.all(
    Array.from({ length: 40 }, (_, index) =>
      sql.transaction(async (tx) => {
        await record(tx, 'settings', `entry ${index}`, by)
        await pause((index * 7) % 20)
      }),
    ),
  )
  isOver = true
  await following
  const all = await sql.query<{ number: number }>('select number from audit order by number')
  const rest = all.map(({ number }) => number).filter((number) => number > told.at(-1)!)
  expect([...told, ...rest]).toEqual(all.map(({ number }) => number))
  expect(all.length).toBe(40)
  await sql.close()
})

test('what is undone at one place is not forgotten for edits at another', async () => {
  const sql = await open()
  await migrate(sql)
  const change = { kind: 'order', of: 'rule', before: [], after: [] } as const
  const edit = { changes: [change], title: '' }
  const other = await addStep(sql.at('elsewhere'), { ...edit, author: 'ben' })
  for (let index = 0; index < 250; index++) await addStep(sql, { ...edit, author: 'ada' })
  expect((await nextSteps(sql.at('elsewhere'))).undo).toBe(other)
  const first = await addStep(sql.at('elsewhere'), { ...edit, author: 'ben' })
  expect(first - other).toBeGreaterThan(200)
  const [{ count }] = (await sql.query<{ count: number }>(
    'select count(*)::int as count from draft_step',
  )) as [{ count: number }]
  expect(count).toBe(200)
  const kept = await sql.at('elsewhere').query('select number from draft_step')
  expect(kept.length).toBe(2)
  await sql.close()
})

test('edits at once behave as if they came one after the other, and none is lost', async () => {
  const sql = await open()
  await sql.exec('create table tally (name text primary key, count int not null)')
  await sql.query('insert into tally select $1, 0 union all select $2, 0', ['a', 'b'])
  // Each reads both and writes one: with less than that, two see the same sum.
  const edit = (name: string) =>
    sql.transaction(async (tx) => {
      const [{ sum }] = (await tx.query<{ sum: number }>('select sum(count) as sum from tally')) as [
        { sum: number },
      ]
      await tx.query('update tally set count = count + 1 where name = $1', [name])
      return Number(sum)
    })
  const sums = await Promise.all(Array.from({ length: 60 }, (_, index) => edit(index % 2 ? 'a' : 'b')))
  expect(sums.sort((a, b) => a - b)).toEqual(Array.from({ length: 60 }, (_, index) => index))
  await expect(
    sql.transaction(async (tx) => {
      await tx.query('update tally set count = 0')
      throw new Error('not after all')
    }),
  ).rejects.toThrow('not after all')
  expect(await sql.query('select sum(count) as sum from tally')).toEqual([{ sum: 60 }])
  await sql.close()
})

test('a database is used by several processes, or by one alone; one that cannot be reached is refused in a line', async () => {
  const url = await newDatabase(server.url)
  const [first, second] = [await openServer(url, lost), await openServer(url, lost)]
  await expect(openServer(url, lost, 'alone')).rejects.toThrow('in use by another Kairostat')
  await Promise.all([first.close(), second.close()])
  const alone = await openServer(url, lost, 'alone')
  await expect(openServer(url, lost)).rejects.toThrow('in use by another Kairostat')
  await alone.close()
  await (await openServer(url, lost)).close()
  await expect(openServer('postgresql://nobody@127.0.0.1:1/x', lost)).rejects.toThrow(
    /cannot be used: connect ECONNREFUSED .*Start its server/,
  )
})

test('a name is held by one process, and by another once that gave it back or is gone; work alone is done one at a time', async () => {
  const url = await newDatabase(server.url)
  const [first, second] = [await openServer(url, lost), await openServer(url, lost)]
  await migrate(first)
  expect([...(await first.hold(['a', 'b'])).held]).toEqual(['a', 'b'])
  expect([...(await second.hold(['a', 'b', 'c'])).held]).toEqual(['c'])
  expect([...(await first.hold(['a', 'b', 'c'])).held]).toEqual(['a', 'b'])
  await first.letGo('a')
  expect([...(await second.hold(['a', 'b'])).held]).toEqual(['a'])
  await first.close()
  expect([...(await second.hold(['b'])).held]).toEqual(['b'])
  await second.close()

  const workers = await Promise.all([openServer(url, lost), openServer(url, lost)])
  let [busy, most] = [0, 0]
  await Promise.all(
    [...workers, ...workers].slice(0, 2).map((worker) =>
      worker.alone(async () => {
        most = Math.max(most, ++busy)
        await new Promise((resolve) => setTimeout(resolve, 300))
        busy--
      }),
    ),
  )
  expect(most).toBe(1)
  // Two that bring a new database to its shape at once do not come into each other's way.
  await Promise.all(workers.map((worker) => worker.alone(() => migrate(worker))))
  await Promise.all(workers.map((worker) => worker.close()))
})

test('places are kept apart also where the database belongs to an ordinary user', async () => {
  const admin = new pg.Client(server.url)
  await admin.connect()
  await admin.query('create role ordinary login')
  await admin.query('create database ordinary owner ordinary')
  await admin.end()
  const url = new URL(server.url)
  ;[url.username, url.pathname] = ['ordinary', '/ordinary']
  const database = await openServer(String(url), lost)
  await migrate(database)
  const add = (place: string) =>
    database
      .at(place)
      .query(`insert into schedule (id, position, name, week, note) values ('s', 1, $1, '', '')`, [place])
  await Promise.all([add('a'), add('b')])
  const seen = (sql: Sql) => sql.query('select name from schedule')
  expect([await seen(database.at('a')), await seen(database.at('b')), await seen(database)]).toEqual([
    [{ name: 'a' }],
    [{ name: 'b' }],
    [],
  ])
  await database.close()
})

test('after the server was restarted it is listened again, what was missed is asked for, and questions are answered', async () => {
  const sql = await open()
  const [heard, missed] = [vi.fn(), vi.fn()]
  await sql.listen((_place, topic) => heard(topic), missed)
  await tell(sql, 'draft')
  await vi.waitUntil(() => heard.mock.calls.length > 0)
  await server.restart()
  await vi.waitUntil(() => missed.mock.calls.length > 0, { timeout: 20_000 })
  expect(await sql.query('select 1 as one')).toEqual([{ one: 1 }])
  await tell(sql, 'live')
  await vi.waitUntil(() => heard.mock.calls.length > 1)
  expect([heard.mock.calls, lost.mock.calls]).toEqual([[['draft'], ['live']], []])
  await sql.close()
})

test('a place moves to a server and back, with everything, and never over another', async () => {
  const [from, back] = [join(folder, 'from'), join(folder, 'back')]
  const data = asFirst(await openData(from))
  await fillDemo(data, 'a-demo-password', 'workshop')
  expect(await signIn(data, 'demo', 'a-demo-password', cameFrom('192.0.2.1'))).toBeTruthy()
  const before = await everythingIn(data)
  await data.close()
  const url = await newDatabase(server.url)
  const run = (args: string[], env: NodeJS.ProcessEnv = {}) => {
    const { status, stdout, stderr } = spawnSync(process.execPath, [resolve('bin/kairostat'), ...args], {
      encoding: 'utf8',
      env: { ...process.env, ...env },
    })
    return { status, said: stdout + stderr }
  }
  expect(run(['move', '--data', join(folder, 'nowhere'), '--to', url])).toMatchObject({
    status: 2,
    said: expect.stringContaining('There is no place in'),
  })
  expect(run(['move', '--data', from, '--to', url])).toMatchObject({
    status: 0,
    said: expect.stringContaining('The database holds the place'),
  })
  // The place that it left says so, and is not started by mistake.
  expect(run(['move', '--data', from, '--to', url])).toMatchObject({
    status: 2,
    said: expect.stringMatching(/What is in the data folder \S+ was moved: to 127\.0\.0\.1/),
  })
  await rm(join(from, 'moved.json'))
  expect(run(['move', '--data', from, '--to', url])).toMatchObject({
    status: 2,
    said: expect.stringContaining('holds a place already'),
  })
  const moved = asFirst(await openServer(url, lost))
  await migrate(moved)
  expect(await everythingIn(moved)).toEqual(before)
  await moved.close()
  // Beside a process that works on it nothing is moved, and what a try left that was killed is filled again.
  const used = await openServer(url, lost)
  expect(run(['move', '--data', from, '--to', back], { DATABASE_URL: url })).toMatchObject({
    status: 2,
    said: expect.stringContaining('in use by another Kairostat'),
  })
  await used.close()
  await mkdir(join(back, 'sql'), { recursive: true })
  await writeFile(join(back, 'filling.json'), '{}')
  await expect(openData(back)).rejects.toThrow('was being filled, which was not finished')
  expect(run(['move', '--data', from, '--to', back], { DATABASE_URL: url })).toMatchObject({ status: 0 })
  await expect(openDatabase(join(folder, 'other'), url, lost)).rejects.toThrow('was moved to')
  const again = asFirst(await openData(back))
  expect(await everythingIn(again)).toEqual(before)
  await again.close()
}, 180_000)

test('a process that gives no sign for long is shut out: what it held is another’s, and it writes nothing more', async () => {
  const url = await newDatabase(server.url)
  const ended = vi.fn()
  const [silent, other] = [await openServer(url, ended), await openServer(url, lost)]
  await migrate(silent)
  expect([...(await silent.hold(['a'])).held]).toEqual(['a'])
  expect(await other.hold(['a'])).toEqual({ held: new Set(), shutOut: 0 })
  // A transaction under way when it was stopped is undone.
  const writing = silent.transaction(async (tx) => {
    await tx.exec(`insert into account (name, password_hash) values ('late', 'x')`)
    await other.exec(`update process set seen_at = now() - interval '16 seconds' where seen_at < now()`)
    await other.hold(['a'])
    await vi.waitUntil(async () => (await other.hold(['a'])).held.has('a'), { timeout: 10_000 })
  })
  await expect(writing).rejects.toThrow()
  await expect(silent.query('select 1')).rejects.toThrow('another took over what it did')
  await vi.waitUntil(async () => (await silent.hold(['a']), ended.mock.calls.length > 0), { timeout: 10_000 })
  expect(await other.query('select name from account')).toEqual([])
  await Promise.all([silent.close(), other.close()])
})

test('what else is in the database is left alone, whatever is done', async () => {
  const url = await newDatabase(server.url)
  const foreign = new pg.Client(url)
  await foreign.connect()
  await foreign.query(`
    create table customer (name text); insert into customer values ('Saltmarsh');
    create table place (place text); insert into place values ('second'); alter table place enable row level security;`)
  const rows = async () => [
    (await foreign.query('select * from customer')).rows,
    (await foreign.query('select * from public.place')).rows,
  ]
  const before = await rows()
  const bad = join(folder, 'bad.json.gz')
  await writeFile(
    bad,
    gzipSync(JSON.stringify({ 'kairostat-backup': 1, 'shape': 3, 'tables': { none: [] } })),
  )
  const { status, stderr } = spawnSync(process.execPath, [resolve('bin/kairostat'), 'restore', bad], {
    encoding: 'utf8',
    env: { ...process.env, DATABASE_URL: url, KAIROSTAT_DATA: join(folder, 'foreign') },
  })
  expect([status, stderr]).toEqual([2, expect.stringContaining('a table “none”')])
  const sql = await openServer(url, lost)
  await migrate(sql)
  await sql.at('second').transaction(async (tx) => {
    await removePlace(tx)
    await savePlace(tx, { name: 'Second', timeZone: 'UTC' })
  })
  await sql.close()
  expect(await rows()).toEqual(before)
  // A restore that was killed is no empty database.
  await foreign.query('drop schema kairostat cascade; create schema kairostat_new')
  await expect(openDatabase(join(folder, 'foreign'), url, lost)).rejects.toThrow('was not finished')
  expect(await rows()).toEqual(before)
  await foreign.end()
})

test('tables that an earlier program left in the schema public are moved out of it, and no others', async () => {
  const url = await newDatabase(server.url)
  const old = asFirst(await openServer(url, lost))
  await migrate(old, 19)
  await old.exec(`insert into account (name, password_hash) values ('ada', 'x')`)
  await old.close()
  const client = new pg.Client(url)
  await client.connect()
  const { rows } = await client.query<{ name: string }>(
    `select relname as name from pg_class where relnamespace = 'kairostat'::regnamespace and relkind = 'r'`,
  )
  for (const { name } of rows) await client.query(`alter table kairostat."${name}" set schema public`)
  await client.query('drop schema kairostat cascade; create table customer (name text)')
  const sql = asFirst(await openServer(url, lost))
  await migrate(sql)
  expect(await sql.query('select name from account')).toEqual([{ name: 'ada' }])
  const left = await client.query(
    `select relname from pg_class where relnamespace = 'public'::regnamespace and relkind = 'r'`,
  )
  expect(left.rows).toEqual([{ relname: 'customer' }])
  await sql.close()
  await client.end()
})

/** Every row of every table, as text. */
async function everythingIn(sql: Database): Promise<Record<string, string[]>> {
  const tables = await (sql as Sql).query<{ name: string }>(
    `select relname as name from pg_class where relkind = 'r' and relnamespace = current_schema()::regnamespace
      and relname <> 'migration' order by 1`,
  )
  const rows: Record<string, string[]> = {}
  for (const { name } of tables)
    rows[name] = (
      await sql.query<{ row: string }>(`select row_to_json(t)::text as row from "${name}" t order by 1`)
    ).map(({ row }) => row)
  return rows
}
