/** The account that does something, and its address. */
export interface Actor {
  /** `null` = nobody is signed in. */
  readonly account: string | null
  readonly address: string
}

/**
 * The one way to the database; SQL keeps to what PGlite and a PostgreSQL server both do. Values go in only as
 * `$n`.
 */
export interface Sql {
  /** The actor of what is done through it; none = the console, or the application itself. */
  readonly actor?: Actor
  /** Runs one statement and answers its rows. */
  query<T = Record<string, unknown>>(text: string, values?: readonly unknown[]): Promise<T[]>
  /** Runs several statements without values. */
  exec(text: string): Promise<void>
  /** Runs `work` in one transaction; an error rolls all of it back. */
  transaction<T>(work: (sql: Sql) => Promise<T>): Promise<T>
}

/** The actor of everything that happens without a request. */
const CONSOLE: Actor = { account: 'console', address: '' }

/** Returns the actor of what is done through a way to the database. */
export function actorOf({ actor = CONSOLE }: Sql): Actor {
  return actor
}

/** Returns the same way to the database for an actor: the audit log says who wrote through it. */
export function actingAs(actor: Actor, sql: Sql): Sql {
  return { ...sql, actor, transaction: (work) => sql.transaction((tx) => work(actingAs(actor, tx))) }
}

/** The place whose rows a statement sees, as SQL. */
export const HERE = `current_setting('kairostat.place')`

/**
 * The locks that a process holds of those it asked for (none while it is not connected), and the processes it
 * shut out.
 */
export interface Holds {
  readonly held: ReadonlySet<string>
  readonly shutOut: number
}

/**
 * A database that can tell of changes and be closed. Its own statements see the rows of no place, only what
 * all places share (accounts, say).
 */
export interface Database extends Sql {
  /** The database as a place sees it: the rows of others are not there, by the policies of the tables. */
  at(place: string): Sql
  /**
   * Calls `heard` with the place and the topic of all that is told through `tell`, also by other processes; and
   * `missed` where something may not have been heard.
   */
  listen(heard: (place: string, topic: string) => void, missed: () => void): Promise<void>
  /** Whether other processes may work on it, too. */
  readonly isShared: boolean
  /**
   * Takes those of some names that no other process holds. A process that dies holds none; nor does one that
   * did not ask for so long that another shut it out, which then can write nothing any more.
   */
  hold(names: readonly string[]): Promise<Holds>
  /** Gives a name back. */
  letGo(name: string): Promise<void>
  /** Does some work while no other process does work through this. */
  alone<T>(work: () => Promise<T>): Promise<T>
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
 * Tells every listener that something of this topic changed at this place. Inside a transaction it is told
 * when that is committed.
 */
export async function tell(sql: Sql, topic: string): Promise<void> {
  await sql.query(`select pg_notify($1, ${HERE} || ' ' || $2)`, [CHANNEL, topic])
}

/** The place and the topic of what was told. */
export function told(payload: string): [place: string, topic: string] {
  const [place = '', topic = ''] = payload.split(' ')
  return [place, topic]
}

/** Has what follows on this connection see the rows of a place ('' = of none). */
export const ENTER = `select set_config('kairostat.place', $1, false)`

/**
 * Policies of rows bind no superuser: such a one hands the tables to a role that they bind, and works as that.
 * The statements are for one connection; `OWNER` is the role.
 */
export const OWNER = 'kairostat_rows'
export const HAND_OVER = `
do $$
declare own name;
begin
  begin
    create role ${OWNER} nologin;
  exception when duplicate_object or unique_violation then null;
  end;
  for own in select relname from pg_class
    where relnamespace = current_schema()::regnamespace and relkind = 'r' and relowner <> '${OWNER}'::regrole
  loop
    execute format('alter table %I owner to ${OWNER}', own);
  end loop;
  execute format('grant create on database %I to ${OWNER}', current_database());
  execute format('alter schema %I owner to ${OWNER}', current_schema());
end $$;
`

/** The schema of our tables; nothing else in the database is touched. */
export const SCHEMA = 'kairostat'
/** Their schema while a backup is restored; it is renamed once it is whole. */
export const NEW_SCHEMA = 'kairostat_new'
