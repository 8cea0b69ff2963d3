import { existsSync } from 'node:fs'
import { cp, mkdir, mkdtemp, readdir, readFile, rename, rm, stat, truncate, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync, gunzipSync } from 'node:zlib'
import { beforeAll, describe, expect, test } from 'vitest'
import { openEmbedded, type Sql } from '../sql/database.ts'
import { migrate } from '../sql/migrate.ts'
import { forgetLookups } from '../sql/lookup.ts'
import { MIGRATIONS } from '../sql/migrations.ts'
import { fillDemo } from '../demo/fill.ts'
import { makeBackup, restoreBackup, takeSnapshot } from './backup.ts'
import { openData } from './data-folder.ts'
import { readDraft } from './draft.ts'
import { readLive } from './live.ts'
import { resetPassword, setPassword, setUp, signIn } from './sign-in.ts'
import { clearAway } from './upkeep.ts'

const newFolder = () => mkdtemp(join(tmpdir(), 'kairostat-data-'))

describe('a data folder', () => {
  let whole: string
  beforeAll(async () => {
    whole = await newFolder()
    const sql = await openData(whole)
    await setUp(sql, 'ada', 'a long password')
    await takeSnapshot(sql, whole, join(whole, 'gateway'))
    await sql.close()
  })

  test('is for its user alone, and opens again with what it held', async () => {
    expect((await stat(whole)).mode & 0o077).toBe(0)
    const sql = await openData(whole)
    expect(await signIn(sql, 'ada', 'a long password', '192.0.2.1')).toBeTruthy()
    await sql.close()
  })

  test.each<[string, (sql: string) => Promise<unknown>, RegExp]>([
    ['its version file is gone', sql => rm(join(sql, 'PG_VERSION')), /PG_VERSION is missing/],
    ['its control file is cut short', sql => truncate(join(sql, 'global', 'pg_control'), 10), /cannot be opened/],
    ['its log of writes is zeros', async (sql) => {
      for (const name of await readdir(join(sql, 'pg_wal'))) if (/^[0-9A-F]{24}$/.test(name)) await writeFile(join(sql, 'pg_wal', name), Buffer.alloc(16_777_216))
    }, /cannot be opened/],
    ['the whole database is gone', sql => rm(sql, { recursive: true }), /sql is missing/],
    ['the database is an empty folder', async (sql) => {
      await rm(sql, { recursive: true })
      await mkdir(sql)
    }, /PG_VERSION is missing/],
  ])('where %s, it is never taken for an empty place, and says how to go on', async (_, damage, words) => {
    const folder = await newFolder()
    await cp(whole, folder, { recursive: true })
    const [name] = await readdir(join(folder, 'snapshots'))
    const snapshot = join(folder, 'snapshots', name!)
    await damage(join(folder, 'sql'))
    const error = await openData(folder).then(() => null, (error: unknown) => error as Error)
    expect(error?.message).toMatch(words)
    for (const part of [folder, snapshot, 'bin/kairostat restore']) expect(error!.message).toContain(part)
    // Tried again it says the same: nothing was made in the place of what is lost.
    await expect(openData(folder)).rejects.toThrow(words)
  })

  test('a first start that was killed leaves nothing that looks like a place', async () => {
    const folder = await newFolder()
    await mkdir(join(folder, 'sql.new'))
    await writeFile(join(folder, 'sql.new', 'PG_VERSION'), '17')
    const sql = await openData(folder)
    expect((await sql.query('select name from account')).length).toBe(0)
    await sql.close()
    expect(existsSync(join(folder, 'sql.new'))).toBe(false)
  })
})

test('a data folder of an earlier shape opens with what it held', async () => {
  for (const number of [1, 6, MIGRATIONS.at(-2)!.number]) {
    const folder = await newFolder()
    const old = await openEmbedded(join(folder, 'sql'))
    await migrate(old, number)
    await old.exec(`insert into account (name, password_hash) values ('ada', 'x'); insert into device (id, position, name, shielded, note) values ('till', 1, 'Till', false, '')`)
    await old.close()
    const sql = await openData(folder)
    expect([number, await sql.query('select name from account'), await sql.query('select id from device'), await sql.query('select max(number) as shape from migration')])
      .toEqual([number, [{ name: 'ada' }], [{ id: 'till' }], [{ shape: MIGRATIONS.at(-1)!.number }]])
    await sql.close()
    await rm(folder, { recursive: true })
  }
})

test('thirty days of look-ups, sessions and edits leave a folder that is not twice as large as after ten', async () => {
  const folder = await newFolder()
  const sql = await openData(folder)
  const sizes: number[] = []
  for (let day = 1; day <= 30; day++) {
    // A day goes by: all that is there is a day older, and the busy network of a day comes.
    await sql.exec(`
      update lookup set first_at = first_at - interval '1 day', last_at = last_at - interval '1 day';
      update session set created_at = created_at - interval '1 day', expires_at = expires_at - interval '1 day';
      update sign_in_try set tried_at = tried_at - interval '1 day';
      insert into account (name, password_hash) values ('ada', 'x') on conflict do nothing;
      insert into lookup (mac, name, effect, first_at, last_at, tries)
        select '02:5e:10:00:00:' || lpad(to_hex(row % 20), 2, '0'), 'name' || row || '.zone' || row % 97 || '.example', 'allow', now() - random() * interval '20 hours', now(), 3 from generate_series(1, 3000) row;
      insert into session (token_hash, account, expires_at) select ${day} || '-' || row, 'ada', now() + interval '3 days' from generate_series(1, 200) row;
      insert into sign_in_try (account, address) select 'ada', '192.0.2.1' from generate_series(1, 500);
      insert into draft_step (changes) select repeat('x', 2000) from generate_series(1, 50);
      delete from draft_step where number <= (select max(number) from draft_step) - 200`)
    await forgetLookups(sql, { kept: true, days: 5, exempt: [] })
    await clearAway(sql)
    await takeSnapshot(sql, folder, join(folder, 'gateway'))
    sizes.push(await sizeOf(folder))
  }
  expect([await sql.query('select count(*)::int as rows from lookup'), await sql.query('select count(*)::int < 1000 as few from session')]).toEqual([[{ rows: 15_000 }], [{ few: true }]])
  await sql.close()
  expect(sizes[29]! / sizes[9]!).toBeLessThan(2)
}, 120_000)

/** The bytes in the files of a folder. */
async function sizeOf(folder: string): Promise<number> {
  const names = await readdir(folder, { recursive: true })
  const sizes = await Promise.all(names.map(name => stat(join(folder, name)).then(found => found.isFile() ? found.size : 0)))
  return sizes.reduce((sum, size) => sum + size, 0)
}

describe('a backup', () => {
  /** All rows that a backup carries, as text. */
  const rowsOf = async (sql: Sql) => {
    const tables = await sql.query<{ name: string }>(`select relname as name from pg_class where relkind = 'r' and relnamespace = 'public'::regnamespace and relname not in ('session', 'sign_in_try', 'migration') order by relname`)
    return Promise.all(tables.map(async ({ name }) => [name, (await sql.query<{ rows: string }>(`select coalesce(json_agg(t order by t::text), '[]')::text as rows from "${name}" t`))[0]!.rows]))
  }

  test('holds everything, and gives it back into an empty folder', async () => {
    const [sql, gateway, other] = [await openEmbedded(null), await newFolder(), await newFolder()]
    await fillDemo(sql, 'a-demo-password', 'workshop')
    await writeFile(join(gateway, 'settings.json'), '{"closedAddresses":true}')
    const again = await openEmbedded(null)
    await restoreBackup(again, await makeBackup(sql, gateway), other)
    expect(await rowsOf(again)).toEqual(await rowsOf(sql))
    expect([await readDraft(again), (await readLive(again)).digest]).toEqual([await readDraft(sql), (await readLive(sql)).digest])
    expect(await readFile(join(other, 'settings.json'), 'utf8')).toBe('{"closedAddresses":true}')
    expect(await signIn(again, 'demo', 'a-demo-password', '192.0.2.1')).toBeTruthy()
    // What is added afterwards takes no number that is there already.
    await again.query(`insert into revision (digest, document, author, note) values ($1, '{}', 'a', '')`, ['0'.repeat(64)])
    await Promise.all([sql.close(), again.close()])
  })

  test.each([1, 6])('of the shape %i is brought to the newest', async (shape) => {
    const old = await openEmbedded(null)
    await migrate(old, shape)
    await old.exec(`insert into account (name, password_hash) values ('ada', 'x'); insert into device (id, position, name, shielded, note) values ('till', 1, 'Till', false, '')`)
    const [sql, folder] = [await openEmbedded(null), await newFolder()]
    await restoreBackup(sql, await makeBackup(old, folder), folder)
    expect([await sql.query('select name from account'), await sql.query('select id, kind from device'), await sql.query('select max(number) as shape from migration')])
      .toEqual([[{ name: 'ada' }], [{ id: 'till', kind: 'other' }], [{ shape: MIGRATIONS.at(-1)!.number }]])
    await Promise.all([old.close(), sql.close()])
  })

  test('that is damaged, of something else or of a newer program is refused', async () => {
    const [sql, folder] = [await openEmbedded(null), await newFolder()]
    await migrate(sql)
    const good = await makeBackup(sql, folder)
    const changed = (change: object) => gzipSync(JSON.stringify({ ...JSON.parse(gunzipSync(good).toString()) as object, ...change }))
    for (const [file, words] of [[good.subarray(0, 100), 'damaged'], [gzipSync('{}'), 'not a backup'], [Buffer.from('hello'), 'damaged'], [changed({ shape: 9999 }), 'newer Kairostat'], [changed({ tables: { 'x"; drop table account; --': [] } }), 'holds a table']] as const) {
      const target = await openEmbedded(null)
      await expect(restoreBackup(target, Buffer.from(file), folder)).rejects.toThrow(words)
      await target.close()
    }
    await sql.close()
  })

  test('of the last seven days is kept, one a day', async () => {
    const [sql, folder] = [await openEmbedded(null), await newFolder()]
    await migrate(sql)
    for (let day = 1; day <= 9; day++) {
      const path = await takeSnapshot(sql, folder, folder)
      await rename(path, join(folder, 'snapshots', `kairostat-2026-01-0${day}.json.gz`))
    }
    await takeSnapshot(sql, folder, folder)
    expect((await readdir(join(folder, 'snapshots'))).length).toBe(7)
    await sql.close()
  })
})

test('a new password ends all sessions, and is told once', async () => {
  const sql = await openEmbedded(null)
  await migrate(sql)
  await expect(resetPassword(sql, null)).rejects.toThrow('Nobody has set up')
  await setUp(sql, 'ada', 'a long password')
  await signIn(sql, 'ada', 'a long password', '192.0.2.1')
  const { account, password } = JSON.parse(await resetPassword(sql, null)) as { account: string, password: string }
  expect([account, await sql.query('select 1 from session where revoked_at is null')]).toEqual(['ada', []])
  await expect(signIn(sql, 'ada', 'a long password', '192.0.2.1')).rejects.toMatchObject({ code: 'wrong-password' })
  expect(await signIn(sql, 'ada', password, '192.0.2.1')).toBeTruthy()
  expect(await setPassword(sql, 'nobody', 'a long password')).toBe(false)
  await clearAway(sql)
  await sql.close()
})
