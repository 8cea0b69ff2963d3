import { readdir, readFile, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { gunzipSync, gzip } from 'node:zlib'
import { promisify } from 'node:util'
import { readIfThere, writeAtomically } from '../../gateway/atomic-file.ts'
import { STATE_FILES } from '../../gateway/state.ts'
import type { Sql } from '../sql/database.ts'
import { migrate, shapeOf } from '../sql/migrate.ts'
import { SNAPSHOT_FOLDER } from './data-folder.ts'

/**
 * What a backup holds: the shape of its tables, their rows, and what the embedded gateway keeps of its
 * settings. Sessions and tries to sign in are left out, but where a place moves.
 */
interface Backup {
  readonly 'kairostat-backup': 1
  readonly 'madeAt': string
  readonly 'shape': number
  readonly 'tables': Readonly<Record<string, readonly Record<string, unknown>[]>>
  readonly 'gatewaySettings': string | null
}

/** Tables that say nothing that lasts, and the one that says the shape. */
const PASSING: readonly string[] = ['session', 'sign_in_try']
const SHAPE = 'migration'
/** How many snapshots are kept. */
const SNAPSHOTS = 7

const compress = promisify(gzip)

/** That a file is no backup that can be restored. */
export class BadBackup extends Error {}

/**
 * Everything of a place, compressed, while it is in use: all of it as of one moment. `gatewayFolder` is that
 * of the embedded gateway's state; `leftOut` are tables whose rows stay behind.
 */
export async function makeBackup(
  sql: Sql,
  gatewayFolder: string,
  leftOut: readonly string[] = PASSING,
): Promise<Buffer> {
  const backup = await sql.transaction(async (tx): Promise<Backup> => {
    const tables: Record<string, readonly Record<string, unknown>[]> = {}
    for (const table of await tablesOf(tx)) {
      if (table === SHAPE || leftOut.includes(table)) continue
      const [row] = await tx.query<{ rows: string }>(
        `select coalesce(json_agg(row_to_json(listed)), '[]')::text as rows from "${table}" listed`,
      )
      tables[table] = JSON.parse(row!.rows) as Record<string, unknown>[]
    }
    return {
      'kairostat-backup': 1,
      'madeAt': new Date().toISOString(),
      'shape': await shapeOf(tx),
      tables,
      'gatewaySettings': await readIfThere(join(gatewayFolder, STATE_FILES.settings)),
    }
  })
  return compress(JSON.stringify(backup))
}

/**
 * Fills a new database with a backup, of this version's shape or an earlier one, and brings it to the newest
 * shape.
 *
 * @throws BadBackup; then the database is of no use
 */
export async function restoreBackup(sql: Sql, file: Buffer, gatewayFolder: string): Promise<void> {
  const backup = read(file)
  await migrate(sql, backup.shape)
  const known = await tablesOf(sql)
  const unknown = Object.keys(backup.tables).find((table) => !known.includes(table))
  if (unknown !== undefined)
    throw new BadBackup(`it holds a table “${unknown}” that its version does not have`)
  await sql.transaction(async (tx) => {
    // Tables stand in the order in which they were made, so that what is referred to comes first.
    for (const table of known) {
      const rows = backup.tables[table]
      if (!rows || table === SHAPE) continue
      await tx.query(`delete from "${table}"`)
      await tx.query(
        `insert into "${table}" overriding system value select * from json_populate_recordset(null::"${table}", $1)`,
        [JSON.stringify(rows)],
      )
      await advanceSequences(tx, table)
    }
  })
  await migrate(sql)
  if (backup.gatewaySettings !== null)
    await writeAtomically(join(gatewayFolder, STATE_FILES.settings), backup.gatewaySettings)
}

/**
 * Puts a backup among the snapshots of a data folder, and removes the oldest beyond the last seven.
 *
 * @returns its path
 */
export async function takeSnapshot(sql: Sql, folder: string, gatewayFolder: string): Promise<string> {
  const place = join(folder, SNAPSHOT_FOLDER)
  const path = join(place, `kairostat-${new Date().toISOString().slice(0, 10)}.json.gz`)
  await writeAtomically(path, await makeBackup(sql, gatewayFolder))
  const all = (await readdir(place)).filter((name) => name.endsWith('.json.gz')).sort()
  for (const name of all.slice(0, -SNAPSHOTS)) await rm(join(place, name))
  return path
}

/**
 * Reads a file for `restoreBackup`.
 *
 * @throws BadBackup where there is none
 */
export function readBackupFile(path: string): Promise<Buffer> {
  return readFile(path).catch((error: NodeJS.ErrnoException) => {
    throw new BadBackup(error.code === 'ENOENT' ? 'there is no such file' : error.message)
  })
}

function read(file: Buffer): Backup {
  try {
    const backup = JSON.parse(gunzipSync(file).toString()) as Partial<Backup> | null
    if (
      backup?.['kairostat-backup'] === 1 &&
      Number.isInteger(backup.shape) &&
      typeof backup.tables === 'object'
    )
      return backup as Backup
  } catch (error) {
    throw new BadBackup(
      `it is damaged, or not a backup of Kairostat: ${error instanceof Error ? error.message : String(error)}`,
    )
  }
  throw new BadBackup('it is not a backup of Kairostat')
}

async function tablesOf(sql: Sql): Promise<string[]> {
  const rows = await sql.query<{ name: string }>(
    `select relname as name from pg_class where relkind = 'r' and relnamespace = 'public'::regnamespace order by oid`,
  )
  return rows.map(({ name }) => name)
}

async function advanceSequences(sql: Sql, table: string): Promise<void> {
  const columns = await sql.query<{ name: string }>(
    `select attname as name from pg_attribute where attrelid = '"${table}"'::regclass and attidentity <> ''`,
  )
  for (const { name } of columns) {
    await sql.query(
      `select setval(pg_get_serial_sequence('"${table}"', '${name}'), coalesce(max("${name}"), 0) + 1, false) from "${table}"`,
    )
  }
}
