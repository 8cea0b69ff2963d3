import { randomBytes } from 'node:crypto'
import pg from 'pg'
import type { Database, Sql } from '../../server/database/database.ts'
import { FIRST } from '../../protocol/places.ts'
import { migrate } from '../../server/database/migrate.ts'
import { openEmbedded } from '../../server/database/embedded.ts'
import { openServer } from '../../server/database/postgres.ts'

/**
 * An empty database for a test: embedded, in memory; or one of its own on the server whose address is in
 * KAIROSTAT_TEST_POSTGRES, where the suite runs on that engine.
 */
export async function freshDatabase(first: 'packed' | 'bare' = 'packed'): Promise<Database> {
  const server = process.env.KAIROSTAT_TEST_POSTGRES
  return server === undefined ? openEmbedded(null, first) : openServer(await newDatabase(server), fail)
}

/** The same as its first place sees it. */
export const testDatabase = async (first?: 'packed' | 'bare'): Promise<Database> =>
  asFirst(await freshDatabase(first))

/**
 * The database of a test file with every table and no rows: made at the first call, and emptied at each
 * further one, which takes a tenth of the time.
 */
export async function emptyDatabase(sql?: Database): Promise<Database> {
  const database = sql ?? (await testDatabase())
  await (sql ? database.exec(EMPTY) : migrate(database))
  return database
}

/** Empties every table that has rows, but for those that the migrations fill. */
const EMPTY = `
do $$
declare filled text;
begin
  select string_agg(format('%I', relname), ', ') into filled from pg_class
  where relnamespace = current_schema()::regnamespace and relkind = 'r' and pg_relation_size(oid) > 0
    and relname not in ('migration', 'draft_part');
  if filled is not null then execute 'truncate ' || filled || ' restart identity cascade'; end if;
end $$;
`

/**
 * A database whose transactions are undone when they are done, and done once more, as where another was in
 * the way.
 */
export function withSecondRuns(database: Database): Database {
  const twice = (sql: Sql): Sql => ({
    ...sql,
    transaction: async (work) => {
      await sql
        .transaction(async (tx) => {
          await work(tx)
          throw UNDONE
        })
        .catch((error: unknown) => {
          if (error !== UNDONE) throw error
        })
      return sql.transaction(work)
    },
  })
  return { ...database, ...twice(database), at: (place) => twice(database.at(place)) }
}
const UNDONE = new Error('This transaction is undone, to be done again.')

/** A database as its first place sees it. */
export const asFirst = (database: Database): Database => ({ ...database, ...database.at(FIRST) })

/** Makes an empty database on a server, and answers its address. */
export async function newDatabase(server: string): Promise<string> {
  const name = `test_${randomBytes(6).toString('hex')}`
  const client = new pg.Client(server)
  await client.connect()
  await client.query(`create database ${name}`)
  await client.end()
  const url = new URL(server)
  url.pathname = `/${name}`
  return String(url)
}

function fail(error: Error): never {
  throw error
}
