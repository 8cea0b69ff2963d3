import { errorText } from '../../core/words/error-text.ts'
import { chmod, mkdir, readdir, rename, rm } from 'node:fs/promises'
import { join } from 'node:path'
import { isThere, readIfThere, writeAtomically } from '../../node/atomic-file.ts'
import { LockedFolder } from '../../node/lock.ts'
import { SCHEMA, type Database } from '../database/database.ts'
import { openEmbedded } from '../database/embedded.ts'
import { migrate } from '../database/migrate.ts'
import { openServer, UnusableDatabase } from '../database/postgres.ts'
import { stateOf } from '../database/schema.ts'

/** The parts of a data folder. */
export const SQL_FOLDER = 'sql'
export const SNAPSHOT_FOLDER = 'snapshots'
/** Says that the folder was made whole once: what is missing from then on is lost, not new. */
const MARK = 'made.json'
/** Says that the folder is being filled with a backup, and what was moved away to where. */
export const [FILLING, MOVED] = ['filling.json', 'moved.json'] as const

/** Says that a data folder cannot be used, and how to go on. */
export class DamagedFolder extends Error {
  constructor(folder: string, what: string, snapshot: string | null) {
    const newest = snapshot === null ? 'a backup that you made' : `a backup, such as ${snapshot}`
    super(
      `The data folder ${folder} is damaged: ${what}. Nothing was changed in it. To go on, move it away and restore ${newest}: bin/kairostat restore FILE, with KAIROSTAT_DATA naming an empty folder.`,
    )
  }
}

/** Says that a data folder must not be used now, and how to go on. */
export class UnusableFolder extends Error {}

/** Whether an error says all there is to say in one line. */
export function isPlain(error: unknown): error is Error {
  return [LockedFolder, DamagedFolder, UnusableFolder, UnusableDatabase].some((kind) => error instanceof kind)
}

/**
 * Takes the rights of other users from a folder and all in it: the database's own files come with those that
 * they were packed with.
 */
async function closeToOthers(folder: string): Promise<void> {
  await chmod(folder, 0o700)
  for (const entry of await readdir(folder, { recursive: true, withFileTypes: true })) {
    await chmod(join(entry.parentPath, entry.name), entry.isDirectory() ? 0o700 : 0o600)
  }
}

/**
 * Opens the database of a place: that of the PostgreSQL server at an address, else the one in its data folder,
 * which this process has locked; brought to the newest shape.
 *
 * @param url what DATABASE_URL says
 * @param lost hears that another process took the server's database
 * @throws DamagedFolder, UnusableDatabase
 */
export async function openDatabase(
  folder: string,
  url: string | undefined,
  lost: (error: Error) => void,
  use: 'shared' | 'alone' = 'shared',
): Promise<Database> {
  if (!url) return openData(folder)
  const database = await openServer(url, lost, use)
  try {
    const state = await stateOf(database)
    if (state.is === 'unfinished')
      throw new UnusableDatabase(
        'The database that DATABASE_URL names was being filled, which was not finished. Do it again: kairostat restore FILE, or kairostat move --to URL.',
      )
    if (state.is === 'moved')
      throw new UnusableDatabase(
        `What is in the database that DATABASE_URL names was moved to ${state.to}. Start Kairostat there. To use it here all the same, run in it: comment on schema ${SCHEMA} is null`,
      )
    if ((await isThere(join(folder, SQL_FOLDER))) && state.is === 'empty')
      throw new UnusableDatabase(
        `The database that DATABASE_URL names is empty, and ${folder} holds a place. Take it along first: kairostat move --to URL; or name another data folder.`,
      )
    await database.alone(() => migrate(database))
    return database
  } catch (error) {
    await database.close()
    throw error
  }
}

/** The newest snapshot of a data folder, `null` where it has none. */
export async function newestSnapshot(folder: string): Promise<string | null> {
  const names = await readdir(join(folder, SNAPSHOT_FOLDER)).catch(() => [])
  const newest = names
    .filter((name) => name.endsWith('.json.gz'))
    .sort()
    .at(-1)
  return newest === undefined ? null : join(folder, SNAPSHOT_FOLDER, newest)
}

/**
 * Opens the database of a data folder that this process has locked, brought to the newest shape; made where
 * the folder is new. It is made beside its place and moved there when it is whole, so that a first start that
 * is killed leaves nothing that looks like a place.
 *
 * @throws DamagedFolder where something is missing or broken
 */
export async function openData(folder: string): Promise<Database> {
  await mkdir(folder, { recursive: true, mode: 0o700 })
  await chmod(folder, 0o700)
  const [sql, fresh, mark] = [join(folder, SQL_FOLDER), join(folder, `${SQL_FOLDER}.new`), join(folder, MARK)]
  const damaged = async (what: string) => new DamagedFolder(folder, what, await newestSnapshot(folder))
  if (await isThere(join(folder, FILLING)))
    throw new UnusableFolder(
      `The data folder ${folder} was being filled, which was not finished. Do it again: kairostat restore FILE, or kairostat move --to ${folder}.`,
    )
  const moved = await readIfThere(join(folder, MOVED))
  if (moved !== null)
    throw new UnusableFolder(
      `What is in the data folder ${folder} was moved: ${moved.trim()} Set DATABASE_URL to start it there. To use the folder all the same, delete ${join(folder, MOVED)}.`,
    )
  if (!(await isThere(sql))) {
    if (await isThere(mark)) throw await damaged(`${sql} is missing`)
    await rm(fresh, { recursive: true, force: true })
    const made = await openEmbedded(fresh)
    await migrate(made)
    await made.close()
    await rename(fresh, sql)
  } else if (!(await isThere(join(sql, 'PG_VERSION'))))
    throw await damaged(`${join(sql, 'PG_VERSION')} is missing`)
  const database = await openEmbedded(sql).catch(async (error: unknown) => {
    throw await damaged(
      `the database in ${sql} cannot be opened (${String(error instanceof Error ? error.message : error).split('\n')[0]})`,
    )
  })
  try {
    await database.query('select count(*) from pg_class')
  } catch (error) {
    throw await damaged(`the database in ${sql} cannot be read (${errorText(error)})`)
  }
  if ((await stateOf(database)).is === 'empty') {
    await database.close()
    throw await damaged(`the database in ${sql} holds none of Kairostat's tables`)
  }
  await migrate(database)
  await closeToOthers(sql)
  if (!(await isThere(mark)))
    await writeAtomically(mark, JSON.stringify({ madeAt: new Date().toISOString() }))
  return database
}
