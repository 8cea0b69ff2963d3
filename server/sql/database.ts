import { fsyncSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { PGlite, type Transaction } from '@electric-sql/pglite'
import { NodeFS } from '@electric-sql/pglite/nodefs'
import { isThere } from '../../gateway/atomic-file.ts'
import { builtFile } from '../built-file.ts'

/**
 * The one way to the database; SQL keeps to what PGlite and a PostgreSQL server both do. Values go in only as
 * `$n`.
 */
export interface Sql {
  /** Runs one statement and answers its rows. */
  query<T = Record<string, unknown>>(text: string, values?: readonly unknown[]): Promise<T[]>
  /** Runs several statements without values. */
  exec(text: string): Promise<void>
  /** Runs `work` in one transaction; an error rolls all of it back. */
  transaction<T>(work: (sql: Sql) => Promise<T>): Promise<T>
}

/** A database that can tell of changes and be closed. */
export interface Database extends Sql {
  /** Calls `heard` with each topic told through `tell`, also from other processes. */
  listen(heard: (topic: string) => void): Promise<void>
  close(): Promise<void>
}

/** A column of instants in UTC as text, without fractions, as SQL. */
export const instant = (column: string) =>
  `to_char(${column} at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS"Z"')`

/**
 * The rows of a query, in its order, handed over as one JSON text: of hundreds, the embedded database hands
 * each value over at a price. For columns that JSON can hold.
 */
export async function listOf<T>(sql: Sql, text: string, values: readonly unknown[] = []): Promise<T[]> {
  const [{ list }] = (await sql.query<{ list: string }>(
    `select coalesce(json_agg(row_to_json(listed)), '[]')::text as list from (${text}) listed`,
    values,
  )) as [{ list: string }]
  return JSON.parse(list) as T[]
}

const CHANNEL = 'kairostat'

/**
 * What is committed is on the disk when it is acknowledged, also where the power fails: PGlite's own file
 * system leaves fsync out, and starts without it.
 */
class DurableFiles extends NodeFS {
  override async init(lite: PGlite, options: Parameters<NodeFS['init']>[1]) {
    const result = await super.init(lite, options)
    const module = result.emscriptenOpts as {
      preRun: ((module: {
        NODEFS: { stream_ops: { fsync?: (stream: { nfd: number }) => number } }
      }) => void)[]
    }
    module.preRun.push(({ NODEFS }) => {
      NODEFS.stream_ops.fsync = ({ nfd }) => {
        fsyncSync(nfd)
        return 0
      }
    })
    return result
  }
}
const DURABLE = ['-c', 'fsync=on', '-c', 'wal_sync_method=fsync']

/** An empty database; nothing where none was packed, so that it has to be made, which takes seconds. */
async function emptyDatabase(): Promise<{ loadDataDir?: Blob }> {
  const file = await builtFile('empty-database.tar')
  return file ? { loadDataDir: new Blob([await readFile(file)]) } : {}
}

/**
 * Opens the embedded database in a folder (`null` = in memory, for tests). The caller holds the folder's
 * lock.
 */
export async function openEmbedded(folder: string | null): Promise<Database> {
  const startParams = [...PGlite.defaultStartParams.filter((param) => param !== '-F'), ...DURABLE]
  const isNew = folder === null || !(await isThere(join(folder, 'PG_VERSION')))
  const lite = await PGlite.create({
    ...(isNew ? await emptyDatabase() : {}),
    ...(folder === null ? {} : { fs: new DurableFiles(folder), startParams }),
  })
  await lite.exec(`set time zone 'UTC'`)
  return {
    ...over(lite),
    transaction: (work) => lite.transaction((tx) => work(nested(tx))),
    listen: async (heard) => {
      await lite.listen(CHANNEL, heard)
    },
    close: () => lite.close(),
  }
}

/**
 * Tells every listener that something of this topic changed. Inside a transaction it is told when that is
 * committed.
 */
export async function tell(sql: Sql, topic: string): Promise<void> {
  await sql.query('select pg_notify($1, $2)', [CHANNEL, topic])
}

function over(lite: Pick<Transaction, 'query' | 'exec'>): Pick<Sql, 'query' | 'exec'> {
  return {
    query: async <T>(text: string, values: readonly unknown[] = []) =>
      (await lite.query<T>(text, [...values])).rows,
    exec: async (text) => {
      await lite.exec(text)
    },
  }
}

// A transaction within one is part of it.
function nested(tx: Transaction): Sql {
  const sql: Sql = { ...over(tx), transaction: (work) => work(sql) }
  return sql
}
