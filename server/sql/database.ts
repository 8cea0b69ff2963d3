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
  /**
   * Calls `heard` with each topic told through `tell`, also from other processes; and `missed` where some may not
   * have been heard.
   */
  listen(heard: (topic: string) => void, missed: () => void): Promise<void>
  /** Gives free what rows of some tables took that are gone, where the engine does not do so by itself. */
  tidy(tables: readonly string[]): Promise<void>
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

/** The channel on which topics are told. */
export const CHANNEL = 'kairostat'

/**
 * Tells every listener that something of this topic changed. Inside a transaction it is told when that is
 * committed.
 */
export async function tell(sql: Sql, topic: string): Promise<void> {
  await sql.query('select pg_notify($1, $2)', [CHANNEL, topic])
}
