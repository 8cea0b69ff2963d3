import { fsyncSync } from 'node:fs'
import { readFile } from 'node:fs/promises'
import { join } from 'node:path'
import { PGlite, type Transaction } from '@electric-sql/pglite'
import { Mutex } from 'async-mutex'
import { NodeFS } from '@electric-sql/pglite/nodefs'
import { isThere } from '../../node/atomic-file.ts'
import { builtFile } from '../../node/built-file.ts'
import { CHANNEL, ENTER, HAND_OVER, OWNER, SCHEMA, told, type Database, type Sql } from './database.ts'
import { migrate } from './migrate.ts'
import { settle } from './schema.ts'

/**
 * A committed transaction is on the disk when it is acknowledged, also where the power fails: PGlite's own file
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

/**
 * An empty database that has every table; nothing where none was packed, so that it has to be made, which
 * takes seconds.
 */
async function packedDatabase(): Promise<{ loadDataDir?: Blob }> {
  const file = await builtFile('empty-database.tar')
  return file ? { loadDataDir: new Blob([await readFile(file)]) } : {}
}

/**
 * Opens the embedded database in a folder (`null` = in memory, for tests). The caller holds the folder's
 * lock.
 *
 * @param first what a new one begins with; `bare` = no table, so that it can get those of an earlier program
 */
export async function openEmbedded(
  folder: string | null,
  first: 'packed' | 'bare' = 'packed',
): Promise<Database> {
  const startParams = [...PGlite.defaultStartParams.filter((param) => param !== '-F'), ...DURABLE]
  const isNew = folder === null || !(await isThere(join(folder, 'PG_VERSION')))
  const lite = await PGlite.create({
    ...(isNew ? await packedDatabase() : {}),
    ...(folder === null ? {} : { fs: new DurableFiles(folder), startParams }),
  })
  if (isNew && first === 'bare') await lite.exec(`drop schema if exists ${SCHEMA} cascade`)
  return prepared(lite)
}

/** Packs a database that has every table, for `packedDatabase`. */
export async function packDatabase(): Promise<Uint8Array> {
  const lite = await PGlite.create()
  await migrate(await prepared(lite))
  await lite.exec('checkpoint')
  const packed = new Uint8Array(await (await lite.dumpDataDir('none')).arrayBuffer())
  await lite.close()
  return packed
}

/** Brings an engine that was just opened to work as our database. */
async function prepared(lite: PGlite): Promise<Database> {
  // It always begins as a superuser.
  await lite.exec(`${settle(SCHEMA)} set search_path to ${SCHEMA}`)
  await lite.exec(`set time zone 'UTC'; ${HAND_OVER} grant pg_checkpoint to ${OWNER}; set role ${OWNER}`)
  // All places share one connection.
  const turn = new Mutex()
  let entered: string | null = null
  const within = <T>(place: string, work: () => Promise<T>): Promise<T> =>
    turn.runExclusive(async () => {
      if (entered !== place) await lite.query(ENTER, [place])
      entered = place
      return work()
    })
  const at = (place: string): Sql => ({
    query: (text, values) => within(place, () => over(lite).query(text, values)),
    exec: (text) => within(place, () => over(lite).exec(text)),
    transaction: (work) => within(place, () => lite.transaction((tx) => work(nested(tx)))),
  })
  return {
    ...at(''),
    at,
    listen: async (heard) => {
      await lite.listen(CHANNEL, (payload) => heard(...told(payload)))
    },
    isShared: false,
    hold: async (names) => ({ held: new Set(names), shutOut: 0 }),
    letGo: async () => {},
    alone: (work) => work(),
    tidy: async (tables) => {
      for (const table of tables) {
        await lite.exec(`vacuum ${table}`)
        await others()
      }
      // It writes none by itself, and without one its log of writes grows to a gigabyte.
      await lite.exec('checkpoint')
    },
    close: () => lite.close(),
  }
}

/** Lets requests that came meanwhile go first: it works on the server’s own thread. */
const others = () => new Promise((resolve) => setTimeout(resolve, 20))

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
