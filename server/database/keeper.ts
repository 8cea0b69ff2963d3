import { setTimeout as pause } from 'node:timers/promises'
import { Mutex } from 'async-mutex'
import pg from 'pg'
import { CHANNEL, HAND_OVER, OWNER, told, type Holds } from './database.ts'

/** The first and the longest pause before a lost connection is made again. */
const [FIRST_REST_MS, MAX_REST_MS] = [100, 5000]
/**
 * The numbers of locks: of those that work on a database, which one may do alone ("kairosta" in ASCII), and
 * of work that is done by one at a time. Names that are held have numbers of their own.
 */
const LOCK = 0x6b616972n * 2n ** 32n + 0x6f737461n
const ALONE = LOCK + 1n
/**
 * Of a machine that is gone the server lets go what it held within four seconds; an answer takes no longer.
 */
const PULSE =
  ' -c tcp_keepalives_idle=2 -c tcp_keepalives_interval=1 -c tcp_keepalives_count=2 -c tcp_user_timeout=4000'
const PATIENCE_MS = 4000
/** Each question here is one statement, which conflicts with no other. */
const PLAIN = ' -c default_transaction_isolation=read\\ committed'

/** Says in one line that a database cannot be used, with the remedy. */
export class UnusableDatabase extends Error {}

/** After how long without a sign of it a process is shut out by another, in seconds. */
const SILENT_SECONDS = 15
/** The time between two signs of life of a process, and between two looks for processes that give none. */
const SIGN_MS = 3000

/** Says that another process shut this one out, which gave no sign of life. */
class ShutOut extends UnusableDatabase {
  constructor() {
    super(
      `This Kairostat did nothing for ${SILENT_SECONDS} s, and another took over what it did. Start it again.`,
    )
  }
}

/** Says that another process works on the database, or wants it for itself alone. */
class UsedDatabase extends UnusableDatabase {
  constructor() {
    super(
      'The database that DATABASE_URL names is in use by another Kairostat, or is being filled. End that one, or name another database.',
    )
  }
}

/** The connection that holds the locks and hears what is told; made again whenever it is lost. */
export class Keeper {
  #client: pg.Client | null = null
  /** One question at a time. */
  readonly #turn = new Mutex()
  #isClosed = false
  /** The time at which the next sign of life is due (ms, monotonic). */
  #signAt = -Infinity
  readonly #held = new Set<string>()
  #heard: ((place: string, topic: string) => void) | null = null
  #missed: () => void = () => {}

  constructor(
    private readonly settings: pg.ClientConfig,
    private readonly lost: (error: Error) => void,
    private readonly use: 'shared' | 'alone',
    /** By what the connections of this process are told from those of others. */
    private readonly id: string,
  ) {}

  /** Connects. @throws UnusableDatabase */
  async open(): Promise<void> {
    const options = this.settings.options + PULSE + PLAIN
    const client = new pg.Client({ ...this.settings, options, query_timeout: PATIENCE_MS })
    client.on('error', ignore)
    try {
      await client.connect()
    } catch (error) {
      const words =
        error instanceof Error ? error.message || (error as { code?: string }).code : String(error)
      throw new UnusableDatabase(
        `The database that DATABASE_URL names cannot be used: ${words}. Start its server, or correct DATABASE_URL.`,
      )
    }
    const { rows } = await client.query<{ held: boolean }>(
      `select pg_try_advisory_lock${this.use === 'shared' ? '_shared' : ''}($1) as held`,
      [LOCK],
    )
    if (!rows[0]!.held) {
      await client.end()
      throw new UsedDatabase()
    }
    client.on('notification', ({ payload = '' }) => this.#heard?.(...told(payload)))
    client.on('end', () => void this.#reopen())
    this.#held.clear()
    if (this.#heard) await client.query(`listen ${CHANNEL}`)
    this.#client = client
  }

  /**
   * Makes the schema of the tables by some SQL.
   *
   * @returns what the other connections state of their role: nothing, unless policies of rows would not bind them
   * @throws UnusableDatabase
   */
  async settle(text: string): Promise<string> {
    await this.#client!.query(text).catch((error: Error) => {
      throw new UnusableDatabase(
        `The database that DATABASE_URL names cannot be used: ${error.message}. Its user must own it, or be granted CREATE on it.`,
      )
    })
    const { rows } = await this.#client!.query<{ free: boolean }>(
      'select rolsuper or rolbypassrls as free from pg_roles where rolname = current_user',
    )
    if (!rows[0]!.free) return ''
    await this.#client!.query(HAND_OVER)
    return ` -c role=${OWNER}`
  }

  hold(names: readonly string[]): Promise<Holds> {
    return this.#turn.runExclusive(() => this.#hold(names))
  }

  async #hold(names: readonly string[]): Promise<Holds> {
    const client = this.#client
    if (!client) return { held: new Set(), shutOut: 0 }
    let shutOut = 0
    try {
      if (performance.now() >= this.#signAt) {
        this.#signAt = performance.now() + SIGN_MS
        if (await isShutOut(client, this.id)) {
          this.#held.clear()
          this.lost(new ShutOut())
          return { held: new Set(), shutOut: 0 }
        }
        shutOut = await shutOutSilent(client, this.id)
      }
      const { rows } = await client.query<{ name: string }>(
        `select name from unnest($1::text[]) as listed (name) where pg_try_advisory_lock(hashtextextended(name, 0))`,
        [names.filter((name) => !this.#held.has(name))],
      )
      for (const { name } of rows) this.#held.add(name)
    } catch {
      // A connection that does not answer is lost: it is opened again, and holds nothing until then.
      this.#held.clear()
      if (this.#client === client) void client.end().catch(ignore)
    }
    return { held: new Set(names.filter((name) => this.#held.has(name))), shutOut }
  }

  async letGo(name: string): Promise<void> {
    if (this.#held.delete(name)) await this.#ask('select pg_advisory_unlock(hashtextextended($1, 0))', [name])
  }

  async alone<T>(work: () => Promise<T>): Promise<T> {
    // However long the other takes.
    while (!(await this.#ask<{ held: boolean }>('select pg_try_advisory_lock($1) as held', [ALONE]))[0]?.held)
      await pause(FIRST_REST_MS)
    return work().finally(() => this.#ask('select pg_advisory_unlock($1)', [ALONE]))
  }

  /** The rows of a statement; none while it is not connected. */
  #ask<T>(text: string, values: readonly unknown[]): Promise<T[]> {
    return this.#turn.runExclusive(async () => {
      const answered = await this.#client?.query(text, [...values])
      return (answered?.rows ?? []) as T[]
    })
  }

  async listen(heard: (place: string, topic: string) => void, missed: () => void): Promise<void> {
    this.#heard = heard
    this.#missed = missed
    await this.#client!.query(`listen ${CHANNEL}`)
  }

  async close(): Promise<void> {
    this.#isClosed = true
    if (this.#held.size > 0) await this.#ask('delete from process where id = $1', [this.id]).catch(ignore)
    await this.#client?.end()
  }

  async #reopen(): Promise<void> {
    this.#client = null
    this.#held.clear()
    for (let rest = FIRST_REST_MS; !this.#isClosed; rest = Math.min(MAX_REST_MS, rest * 2)) {
      await pause(rest)
      try {
        await this.open()
        return this.#missed()
      } catch (error) {
        if (error instanceof UsedDatabase) return this.lost(error)
      }
    }
  }
}

function ignore(): void {}

/** The name of the connections of a process in the database. */
export const connectionName = (id: string) => `kairostat ${id}`

/**
 * Refuses a new connection of a process that was shut out: those it had then were ended.
 *
 * @throws UnusableDatabase
 */
export async function refuseShutOut(client: pg.ClientBase, id: string): Promise<void> {
  // Before the first migration there is none.
  const { rows } = await client.query<{ there: boolean }>(
    `select to_regclass('process') is not null as there`,
  )
  if (!rows[0]!.there) return
  const known = await client.query('select from process where id = $1 and is_shut_out', [id])
  if (known.rowCount) throw new ShutOut()
}

/** Notes that a process is there; whether it was shut out. */
async function isShutOut(client: pg.Client, id: string): Promise<boolean> {
  const { rows } = await client.query<{ isShutOut: boolean }>(
    `insert into process (id) values ($1) on conflict (id) do update set seen_at = now()
    returning is_shut_out as "isShutOut"`,
    [id],
  )
  return rows[0]!.isShutOut
}

/**
 * Shuts out who gave no sign for long, and ends their connections, with what was under way on them; how
 * many.
 */
async function shutOutSilent(client: pg.Client, id: string): Promise<number> {
  const { rows } = await client.query<{ id: string }>(
    `update process set is_shut_out = true
    where id <> $1 and not is_shut_out and seen_at < now() - make_interval(secs => $2) returning id`,
    [id, SILENT_SECONDS],
  )
  for (const silent of rows)
    await client.query(
      `select pg_terminate_backend(pid) from pg_stat_activity where application_name = $1 and datname = current_database()`,
      [connectionName(silent.id)],
    )
  await client.query(`delete from process where seen_at < now() - interval '7 days'`)
  return rows.length
}
