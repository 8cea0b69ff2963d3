import { existsSync } from 'node:fs'
import { cp, mkdir, mkdtemp, readdir, rm, stat, truncate, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { beforeAll, describe, expect, test } from 'vitest'
import { actingAs } from '../database/database.ts'
import { openEmbedded } from '../database/embedded.ts'
import { migrate } from '../database/migrate.ts'
import { MIGRATIONS } from '../database/migrations.ts'
import { overrides } from '../live/override-sql.ts'
import { takeSnapshot } from './backup.ts'
import { openData } from './data-folder.ts'
import { nextSteps, takeStep } from '../draft/edit.ts'
import { hashOfSecret } from '../accounts/secret.ts'
import { principalOf, resetPassword, setPassword, setUp, signIn } from '../accounts/sign-in.ts'
import { bearerOf, tokens } from '../accounts/tokens.ts'
import { clearAway } from '../places/upkeep.ts'
import { cameFrom } from '../../tests/support/came-from.ts'
import { asFirst, testDatabase } from '../../tests/support/database.ts'

const newFolder = () => mkdtemp(join(tmpdir(), 'kairostat-data-'))

describe('a data folder', () => {
  let whole: string
  beforeAll(async () => {
    whole = await newFolder()
    const sql = asFirst(await openData(whole))
    await setUp(sql, 'ada', 'a long password')
    await takeSnapshot(sql, whole)
    await sql.close()
  })

  test('is for its user alone, and opens again with what it held', async () => {
    expect((await stat(whole)).mode & 0o077).toBe(0)
    const sql = asFirst(await openData(whole))
    expect(await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.1'))).toBeTruthy()
    await sql.close()
  })

  test.each<[string, (sql: string) => Promise<unknown>, RegExp]>([
    ['its version file is gone', (sql) => rm(join(sql, 'PG_VERSION')), /PG_VERSION is missing/],
    [
      'its control file is cut short',
      (sql) => truncate(join(sql, 'global', 'pg_control'), 10),
      /cannot be opened/,
    ],
    [
      'its log of writes is zeros',
      async (sql) => {
        for (const name of await readdir(join(sql, 'pg_wal')))
          if (/^[0-9A-F]{24}$/.test(name))
            await writeFile(join(sql, 'pg_wal', name), Buffer.alloc(16_777_216))
      },
      /cannot be opened/,
    ],
    ['the whole database is gone', (sql) => rm(sql, { recursive: true }), /sql is missing/],
    [
      'the database is an empty folder',
      async (sql) => {
        await rm(sql, { recursive: true })
        await mkdir(sql)
      },
      /PG_VERSION is missing/,
    ],
  ])('where %s, it is never taken for an empty place, and says how to go on', async (_, damage, words) => {
    const folder = await newFolder()
    await cp(whole, folder, { recursive: true })
    const [name] = await readdir(join(folder, 'snapshots'))
    const snapshot = join(folder, 'snapshots', name!)
    await damage(join(folder, 'sql'))
    const error = await openData(folder).then(
      () => null,
      (error: unknown) => error as Error,
    )
    expect(error?.message).toMatch(words)
    for (const part of [folder, snapshot, 'bin/kairostat restore']) expect(error!.message).toContain(part)
    // Tried again it says the same: nothing was made in the place of what is lost.
    await expect(openData(folder)).rejects.toThrow(words)
  })

  test('a first start that was killed leaves nothing that looks like a place', async () => {
    const folder = await newFolder()
    await mkdir(join(folder, 'sql.new'))
    await writeFile(join(folder, 'sql.new', 'PG_VERSION'), '17')
    const sql = asFirst(await openData(folder))
    expect((await sql.query('select name from account')).length).toBe(0)
    await sql.close()
    expect(existsSync(join(folder, 'sql.new'))).toBe(false)
  })
})

test('a data folder of an earlier shape opens with what it held', async () => {
  for (const number of [1, 6, MIGRATIONS.at(-2)!.number]) {
    const folder = await newFolder()
    const old = asFirst(await openEmbedded(join(folder, 'sql'), 'bare'))
    await migrate(old, number)
    await old.exec(
      `insert into account (name, password_hash) values ('ada', 'x'); insert into device (id, position, name, shielded, note) values ('till', 1, 'Till', false, '')`,
    )
    await old.close()
    const sql = asFirst(await openData(folder))
    expect([
      number,
      await sql.query('select name from account'),
      await sql.query('select id from device'),
      await sql.query('select max(number) as shape from migration'),
    ]).toEqual([number, [{ name: 'ada' }], [{ id: 'till' }], [{ shape: MIGRATIONS.at(-1)!.number }]])
    await sql.close()
    await rm(folder, { recursive: true })
  }
})

test('a folder of when there was one account keeps its session, token, override and edit, and makes nobody more than they were', async () => {
  const folder = await newFolder()
  const old = await openEmbedded(join(folder, 'sql'), 'bare')
  await migrate(old, 8)
  const device = { id: 'till', name: 'Till', kind: 'other', adapters: [], shielded: false, note: '' }
  const changes = [{ kind: 'device', before: null, after: device, at: 0 }]
  await old.exec(`
    insert into account (name, password_hash) values ('ada', 'x');
    insert into session (token_hash, account, expires_at) values ('${hashOfSecret('session')}', 'ada', now() + interval '1 day');
    insert into token (id, name, account, token_hash) values ('t', 'graphs', 'ada', '${hashOfSecret('token')}');
    insert into device (id, position, name, shielded, note) values ('till', 1, 'Till', false, '');
    insert into override (id, effect, who, from_at, author, note)
      values ('late', 'block', '{"devices":["till"]}', now(), 'ada', 'late');
    insert into draft_step (changes) values ('${JSON.stringify(changes)}');`)
  await old.close()
  const sql = asFirst(await openData(folder))
  const all = { role: 'administrator', limit: null }
  expect(await principalOf(sql, 'session')).toEqual({ account: 'ada', ...all, token: null })
  expect(await bearerOf(sql, 'Bearer token')).toEqual({
    account: 'ada',
    role: 'viewer',
    limit: null,
    token: 'live',
  })
  expect((await tokens(sql)).map(({ role, until }) => [role, until])).toEqual([['live', null]])
  expect((await overrides(sql)).map(({ id, note }) => [id, note])).toEqual([['late', 'late']])
  // The author of the edit is not known: nobody is asked.
  const { undo } = await nextSteps(sql)
  await takeStep(actingAs({ account: 'ada', address: '' }, sql), 'undo', undo!)
  expect(await sql.query('select id from device')).toEqual([])
  await sql.close()
})

test('a new password ends all sessions, and is told once', async () => {
  const sql = await testDatabase()
  await migrate(sql)
  await expect(resetPassword(sql, null)).rejects.toThrow('Nobody has set up')
  await setUp(sql, 'ada', 'a long password')
  await signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.1'))
  const { account, password } = JSON.parse(await resetPassword(sql, null)) as {
    account: string
    password: string
  }
  expect([account, await sql.query('select 1 from session where revoked_at is null')]).toEqual(['ada', []])
  await expect(signIn(sql, 'ada', 'a long password', cameFrom('192.0.2.1'))).rejects.toMatchObject({
    code: 'wrong-password',
  })
  expect(await signIn(sql, 'ada', password, cameFrom('192.0.2.1'))).toBeTruthy()
  expect(await setPassword(sql, 'nobody', 'a long password')).toBe(false)
  await clearAway(sql)
  await sql.close()
})
