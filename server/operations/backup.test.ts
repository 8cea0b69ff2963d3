import { mkdir, mkdtemp, readdir, readFile, rename, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { gzipSync, gunzipSync } from 'node:zlib'
import { describe, expect, test } from 'vitest'
import type { Sql } from '../database/database.ts'
import { migrate } from '../database/migrate.ts'
import { MIGRATIONS } from '../database/migrations.ts'
import { placeTables } from '../database/place-sql.ts'
import { fillDemo } from '../demo/fill.ts'
import { record } from '../accounts/audit.ts'
import { makeBackup, restoreBackup, takeSnapshot } from './backup.ts'
import { readDraft } from '../draft/draft.ts'
import { readLive } from '../live/live.ts'
import { signIn } from '../accounts/sign-in.ts'
import { cameFrom } from '../../tests/support/came-from.ts'
import { testDatabase } from '../../tests/support/database.ts'

const newFolder = () => mkdtemp(join(tmpdir(), 'kairostat-data-'))

describe('a backup', () => {
  /** All rows that a backup carries, as text. */
  const rowsOf = async (sql: Sql) => {
    const tables = await sql.query<{ name: string }>(
      `select relname as name from pg_class where relkind = 'r' and relnamespace = current_schema()::regnamespace and relname not in ('session', 'sign_in_try', 'code_try', 'process', 'migration') order by relname`,
    )
    return Promise.all(
      tables.map(async ({ name }) => [
        name,
        (
          await sql.query<{ rows: string }>(
            `select coalesce(json_agg(t order by t::text), '[]')::text as rows from "${name}" t`,
          )
        )[0]!.rows,
      ]),
    )
  }

  test('holds everything, and gives it back into an empty folder', async () => {
    const [sql, folder, other] = [await testDatabase(), await newFolder(), await newFolder()]
    await fillDemo(sql, 'a-demo-password', 'workshop')
    await mkdir(join(folder, 'gateway'))
    await writeFile(join(folder, 'gateway', 'settings.json'), '{"closedAddresses":true}')
    const again = await testDatabase('bare')
    await restoreBackup(again, await makeBackup(sql, folder), other)
    expect(await rowsOf(again)).toEqual(await rowsOf(sql))
    expect([await readDraft(again), (await readLive(again)).digest]).toEqual([
      await readDraft(sql),
      (await readLive(sql)).digest,
    ])
    expect(await readFile(join(other, 'gateway', 'settings.json'), 'utf8')).toBe('{"closedAddresses":true}')
    expect(await signIn(again, 'demo', 'a-demo-password', cameFrom('192.0.2.1'))).toBeTruthy()
    // Rows that are added afterwards take no number that exists already.
    await record(again, 'edit', 'Restored')
    await Promise.all([sql.close(), again.close()])
  })

  test('of the last shape without places keeps every row, now of the first place; rights are those of its people', async () => {
    const file = await readFile('tests/support/backup-16.json.gz')
    const { tables } = JSON.parse(gunzipSync(file).toString()) as {
      tables: Record<string, Record<string, unknown>[]>
    }
    const sql = await testDatabase('bare')
    await restoreBackup(sql, file, await newFolder())
    const placed = new Set(await placeTables(sql))
    const now = async (table: string) =>
      JSON.parse(
        (await sql.query<{ rows: string }>(`select json_agg(t)::text as rows from "${table}" t`))[0]!.rows ??
          '[]',
      ) as Record<string, unknown>[]
    for (const [table, rows] of Object.entries(tables)) {
      if (table === 'audit_setting' || rows.length === 0) continue
      const kept = rows.map(
        ({ only_one: _one, role, helper_limit: _limit, disabled_at: _end, mailed_at: _at, ...row }) => ({
          ...row,
          ...(table === 'account' || role === undefined ? {} : { role }),
          ...(placed.has(table) && { place: 'first' }),
        }),
      )
      const found = await now(table)
      expect([table, found.length]).toEqual([table, rows.length])
      expect([table, found]).toEqual([
        table,
        expect.arrayContaining(kept.map((row) => expect.objectContaining(row))),
      ])
    }
    expect(await now('member')).toEqual(
      expect.arrayContaining(
        tables.account!.map(({ name, role, helper_limit }) =>
          expect.objectContaining({ place: 'first', account: name, role, helper_limit }),
        ),
      ),
    )
    expect([
      await signIn(sql, 'demo', 'a-demo-password', cameFrom('192.0.2.1')),
      (await readLive(sql)).revision,
    ]).toEqual([expect.any(String), expect.objectContaining({ number: 2, note: 'With a long list' })])
    expect((await readLive(sql)).policy.siteLists.find(({ name }) => name === 'Long')!.entries).toHaveLength(
      600,
    )
    await sql.close()
  })

  test.each([1, 6])('of the shape %i is brought to the newest', async (shape) => {
    const old = await testDatabase('bare')
    await migrate(old, shape)
    await old.exec(
      `insert into account (name, password_hash) values ('ada', 'x'); insert into device (id, position, name, shielded, note) values ('till', 1, 'Till', false, '')`,
    )
    const [sql, folder] = [await testDatabase('bare'), await newFolder()]
    await restoreBackup(sql, await makeBackup(old, folder), folder)
    expect([
      await sql.query('select name from account'),
      await sql.query('select id, kind from device'),
      await sql.query('select max(number) as shape from migration'),
    ]).toEqual([[{ name: 'ada' }], [{ id: 'till', kind: 'other' }], [{ shape: MIGRATIONS.at(-1)!.number }]])
    await Promise.all([old.close(), sql.close()])
  })

  test('that is damaged, of something else or of a newer program is refused', async () => {
    const [sql, folder] = [await testDatabase('bare'), await newFolder()]
    await migrate(sql)
    const good = await makeBackup(sql, folder)
    const changed = (change: object) =>
      gzipSync(JSON.stringify({ ...(JSON.parse(gunzipSync(good).toString()) as object), ...change }))
    for (const [file, words] of [
      [good.subarray(0, 100), 'damaged'],
      [gzipSync('{}'), 'not a backup'],
      [Buffer.from('hello'), 'damaged'],
      [changed({ shape: 9999 }), 'newer Kairostat'],
      [changed({ tables: { 'x"; drop table account; --': [] } }), 'holds a table'],
    ] as const) {
      const target = await testDatabase('bare')
      await expect(restoreBackup(target, Buffer.from(file), folder)).rejects.toThrow(words)
      await target.close()
    }
    await sql.close()
  })

  test('of the last seven days is kept, one a day', async () => {
    const [sql, folder] = [await testDatabase('bare'), await newFolder()]
    await migrate(sql)
    for (let day = 1; day <= 9; day++) {
      const path = await takeSnapshot(sql, folder)
      await rename(path, join(folder, 'snapshots', `kairostat-2026-01-0${day}.json.gz`))
    }
    await takeSnapshot(sql, folder)
    expect((await readdir(join(folder, 'snapshots'))).length).toBe(7)
    await sql.close()
  })
})

test('a backup that unpacks without end, or names a folder elsewhere, is refused', async () => {
  const sql = await testDatabase()
  await migrate(sql)
  const folder = await newFolder()
  const bomb = gzipSync(Buffer.alloc(510_000_000))
  await expect(restoreBackup(sql, bomb, folder)).rejects.toThrow('unpacked it is larger than 500 MB')
  await sql.exec(`insert into place (id, name, time_zone) values ('second', 'X', 'UTC')`)
  const text = gunzipSync(await makeBackup(sql, folder)).toString()
  const file = gzipSync(text.replaceAll('"second"', '"../../elsewhere"'))
  const other = await testDatabase('bare')
  await expect(restoreBackup(other, file, folder)).rejects.toThrow('which cannot be the id of one')
  expect(await readdir(folder)).toEqual([])
  await Promise.all([sql.close(), other.close()])
})
