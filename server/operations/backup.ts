import { errorText } from '../../core/words/error-text.ts'
import { readdir, readFile, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { gunzipSync, gzip } from 'node:zlib'
import { promisify } from 'node:util'
import { readIfThere, writeAtomically } from '../../node/atomic-file.ts'
import type { Sql } from '../database/database.ts'
import { FIRST } from '../../protocol/places.ts'
import { migrate, shapeOf } from '../database/migrate.ts'
import { placeIds, placeTables } from '../database/place-sql.ts'
import { gatewaySettingsOf } from '../places/place-folder.ts'
import { SNAPSHOT_FOLDER } from './data-folder.ts'

/**
 * The contents of a backup: the shape of its tables, their rows, and what the embedded gateway keeps of its
 * settings. Sessions and tries to sign in are left out, but where a place moves.
 */
interface Backup {
  readonly 'kairostat-backup': 1
  readonly 'madeAt': string
  readonly 'shape': number
  readonly 'tables': Readonly<Record<string, readonly Record<string, unknown>[]>>
  readonly 'gatewaySettings': string | null
  /** Those of the gateways of further places, by place. */
  readonly 'furtherSettings'?: Readonly<Record<string, string>>
}

/** Tables that say nothing that lasts, and the one that says the shape. */
const PASSING: readonly string[] = ['session', 'sign_in_try', 'code_try', 'process', 'holding', 'peer_secret']
const SHAPE = 'migration'
/** The most bytes of a backup, unpacked: of what is larger no text can be made. */
const MOST_BYTES = 500_000_000
/** The number of snapshots that are kept. */
const SNAPSHOTS = 7

const compress = promisify(gzip)

/** Says that a file is no backup that can be restored. */
export class BadBackup extends Error {}

/**
 * Everything of all places, compressed, while it is in use: all of it as of one moment. `folder` is the data
 * folder; `leftOut` are tables whose rows stay behind.
 */
export async function makeBackup(
  sql: Sql,
  folder: string,
  leftOut: readonly string[] = PASSING,
): Promise<Buffer> {
  const backup = await sql.transaction(async (tx): Promise<Backup> => {
    const tables: Record<string, readonly Record<string, unknown>[]> = {}
    const ofPlaces = new Set(await placeTables(tx))
    const places = ofPlaces.size === 0 ? [FIRST] : await placeIds(tx)
    for (const table of await tablesOf(tx)) {
      if (table === SHAPE || leftOut.includes(table)) continue
      const rows: Record<string, unknown>[] = []
      for (const place of ofPlaces.has(table) ? places : ['']) {
        await enter(tx, place)
        const [row] = await tx.query<{ rows: string }>(
          `select coalesce(json_agg(row_to_json(listed)), '[]')::text as rows from "${table}" listed`,
        )
        rows.push(...(JSON.parse(row!.rows) as Record<string, unknown>[]))
      }
      tables[table] = rows
    }
    const furtherSettings: Record<string, string> = {}
    for (const place of places.filter((one) => one !== FIRST)) {
      const settings = await readIfThere(gatewaySettingsOf(folder, place))
      if (settings !== null) furtherSettings[place] = settings
    }
    return {
      'kairostat-backup': 1,
      'madeAt': new Date().toISOString(),
      'shape': await shapeOf(tx),
      tables,
      'gatewaySettings': await readIfThere(gatewaySettingsOf(folder, FIRST)),
      furtherSettings,
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
export async function restoreBackup(sql: Sql, file: Buffer, folder: string): Promise<void> {
  const backup = read(file)
  await migrate(sql, backup.shape)
  const known = await tablesOf(sql)
  const unknown = Object.keys(backup.tables).find((table) => !known.includes(table))
  if (unknown !== undefined)
    throw new BadBackup(`it holds a table “${unknown}” that its version does not have`)
  for (const { id = FIRST } of backup.tables.place ?? [])
    if (!/^[a-z0-9-]+$/.test(String(id)))
      throw new BadBackup(`it holds a place “${String(id).slice(0, 60)}”, which cannot be the id of one`)
  await sql.transaction(async (tx) => {
    const ofPlaces = new Set(await placeTables(tx))
    // Tables stand in the order in which they were made, so that what is referred to comes first.
    for (const table of known) {
      const rows = backup.tables[table]
      if (!rows || table === SHAPE) continue
      const placeOf = (row: Record<string, unknown>) => (ofPlaces.has(table) ? String(row.place) : '')
      for (const place of new Set([ofPlaces.has(table) ? FIRST : '', ...rows.map(placeOf)])) {
        await enter(tx, place)
        await tx.query(`delete from "${table}"`)
        await tx.query(
          `insert into "${table}" overriding system value select * from json_populate_recordset(null::"${table}", $1)`,
          [JSON.stringify(rows.filter((row) => placeOf(row) === place))],
        )
        await advanceSequences(tx, table)
      }
    }
  })
  await migrate(sql)
  // The key that a router lets in is in the folder that it was made in.
  await sql.query('update place set is_bound = false')
  // A folder is of a place that there is, whatever else the file names.
  for (const place of await placeIds(sql)) {
    const text = place === FIRST ? backup.gatewaySettings : backup.furtherSettings?.[place]
    if (typeof text === 'string') await writeAtomically(gatewaySettingsOf(folder, place), text)
  }
}

/**
 * Puts a backup among the snapshots of a data folder, and removes the oldest beyond the last seven.
 *
 * @returns its path
 */
export async function takeSnapshot(sql: Sql, folder: string): Promise<string> {
  const place = join(folder, SNAPSHOT_FOLDER)
  const path = join(place, `kairostat-${new Date().toISOString().slice(0, 10)}.json.gz`)
  await writeAtomically(path, await makeBackup(sql, folder))
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
    const backup = JSON.parse(
      gunzipSync(file, { maxOutputLength: MOST_BYTES }).toString(),
    ) as Partial<Backup> | null
    if (
      backup?.['kairostat-backup'] === 1 &&
      Number.isInteger(backup.shape) &&
      typeof backup.tables === 'object'
    )
      return backup as Backup
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE')
      throw new BadBackup(`unpacked it is larger than ${MOST_BYTES / 1e6} MB`)
    throw new BadBackup(`it is damaged, or not a backup of Kairostat: ${errorText(error)}`)
  }
  throw new BadBackup('it is not a backup of Kairostat')
}

/** Has what follows in a transaction see the rows of a place. */
async function enter(tx: Sql, place: string): Promise<void> {
  await tx.query(`select set_config('kairostat.place', $1, true)`, [place])
}

async function tablesOf(sql: Sql): Promise<string[]> {
  const rows = await sql.query<{ name: string }>(
    `select relname as name from pg_class where relkind = 'r' and relnamespace = current_schema()::regnamespace order by oid`,
  )
  return rows.map(({ name }) => name)
}

async function advanceSequences(sql: Sql, table: string): Promise<void> {
  const columns = await sql.query<{ name: string }>(
    `select attname as name from pg_attribute where attrelid = '"${table}"'::regclass and attidentity <> ''`,
  )
  for (const { name } of columns) {
    await sql.query(
      `select setval(pg_get_serial_sequence('"${table}"', '${name}'), greatest(coalesce(max("${name}"), 0) + 1, nextval(pg_get_serial_sequence('"${table}"', '${name}'))), false) from "${table}"`,
    )
  }
}
