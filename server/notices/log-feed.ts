import type { Logger } from 'pino'
import { alarmKey, type Alarm } from '../../protocol/gateway/alarm.ts'
import type { AuditEntry } from '../../protocol/audit.ts'
import type { Flow } from '../../protocol/gateway/evidence.ts'
import { isAnswering, type Gateway, type Lookup } from '../../protocol/gateway/gateway.ts'
import type { GatewayAnswer } from '../../protocol/answers.ts'
import type { LogServerAnswer } from '../../protocol/syslog.ts'
import { entriesToTell, logServers, noteLogTrouble, noteTold } from './log-server-sql.ts'
import type { Sql } from '../database/database.ts'
import { alarmFacts } from './alarm-facts.ts'
import { deviceWith } from '../../core/policy/device-with.ts'
import { livePolicy } from '../live/live.ts'
import { LogConnection } from './log-connection.ts'
import { reachWords } from '../../node/reach-words.ts'
import { pacedLoop } from '../../node/paced-loop.ts'
import type { LogMessage } from './syslog-message.ts'

/** The time between two looks for news. */
const LOOK_MS = 3000
/** The most dropped tries that are told of at a look, and the most entries of the audit log. */
const [DROPS, ENTRIES] = [100, 200]
/** The most messages that wait for a server that does not take them; the oldest are lost first. */
const WAITING = 2000
/** The longest time until a server is tried again, in milliseconds: each pause is twice the one before. */
const LONGEST_PAUSE = 60_000

/** A server, the way to it, and what waits for it. */
interface Told {
  readonly connection: LogConnection
  readonly queue: LogMessage[]
  lost: number
  tries: number
  /** The time of the next try, in milliseconds of the monotonic clock. */
  dueAt: number
}

/** The sources of the feed. */
interface Sources {
  readonly sql: Sql
  readonly gateway: Pick<Gateway, 'evidence'>
  readonly view: () => GatewayAnswer
}

/** Tells log servers of alarms, dropped tries and DNS look-ups as they come, and of the whole audit log. */
export class LogFeed {
  readonly #told = new Map<string, Told>()
  #lookups: Lookup[] = []
  /** The alarms of the last look; `null` = there was none, so that nothing is news. */
  #alarms: ReadonlyMap<string, Alarm> | null = null
  #recent: readonly Flow[] | null = null

  constructor(private readonly from: Sources) {}

  /** Takes look-ups that are news. */
  hearLookups(runs: readonly Lookup[]): void {
    if (this.#told.size > 0) this.#lookups = [...this.#lookups, ...runs].slice(-WAITING)
  }

  /** Looks once for what is news, and sends it. */
  async look(): Promise<void> {
    const servers = await logServers(this.from.sql)
    this.#forget(servers)
    if (servers.length === 0) return
    const wanted = new Set(servers.flatMap(({ kinds }) => kinds))
    const news = [
      ...(wanted.has('alarm') ? await this.#alarmNews() : []),
      ...(wanted.has('drop') ? await this.#dropNews() : []),
      ...(wanted.has('lookup') ? await this.#lookupNews() : []),
    ]
    await Promise.all(servers.map((server) => this.#tell(server, news)))
  }

  close(): void {
    for (const { connection } of this.#told.values()) connection.close()
    this.#told.clear()
  }

  /** Forgets the servers that were deleted; where none is left, what is known is no longer followed. */
  #forget(servers: readonly LogServerAnswer[]): void {
    for (const [id, { connection }] of this.#told) {
      if (servers.some((server) => server.id === id)) continue
      connection.close()
      this.#told.delete(id)
    }
    if (servers.length > 0) return
    this.#alarms = this.#recent = null
    this.#lookups = []
  }

  async #tell(server: LogServerAnswer, news: readonly LogMessage[]): Promise<void> {
    const told = this.#toldOf(server)
    told.queue.push(...news.filter(({ kind }) => (server.kinds as readonly string[]).includes(kind)))
    told.lost += told.queue.splice(0, Math.max(0, told.queue.length - WAITING)).length
    if (performance.now() < told.dueAt) return
    const { sql } = this.from
    const entries = server.kinds.includes('audit') ? await entriesToTell(sql, server.id, ENTRIES) : []
    const sent = told.queue.length
    const messages = [...lostWords(told.lost), ...told.queue, ...entries.map(auditMessage)]
    if (messages.length === 0) return
    try {
      await told.connection.send(messages)
    } catch (error) {
      told.dueAt = performance.now() + Math.min(LOOK_MS * 2 ** told.tries++, LONGEST_PAUSE)
      await noteLogTrouble(sql, server.id, reachWords(error))
      return
    }
    told.queue.splice(0, sent)
    told.lost = told.tries = 0
    if (entries.length > 0) await noteTold(sql, server.id, entries.at(-1)!.number)
    await noteLogTrouble(sql, server.id, '')
  }

  #toldOf(server: LogServerAnswer): Told {
    const known = this.#told.get(server.id)
    if (known) return known
    const told = { connection: new LogConnection(server), queue: [], lost: 0, tries: 0, dueAt: 0 }
    this.#told.set(server.id, told)
    return told
  }

  /** The alarms that began and those that ended; those that were there at the first look are told of too. */
  async #alarmNews(): Promise<LogMessage[]> {
    const { state, status } = this.from.view()
    if (state === 'away' || !status) return []
    const before = this.#alarms ?? new Map<string, Alarm>()
    const now = new Map(status.alarms.map((alarm) => [alarmKey(alarm), alarm]))
    this.#alarms = now
    const { policy } = await livePolicy(this.from.sql)
    const messageOf = (alarm: Alarm, over: boolean): LogMessage => {
      const { what, remedy, device, rule } = alarmFacts(policy, alarm)
      return {
        kind: 'alarm',
        at: over ? status.clock : alarm.since,
        severity: over ? 'notice' : 'warning',
        words: over ? `Over: ${what}` : `${what} ${remedy}`,
        facts: { alarm: alarm.kind, mac: alarm.mac, device, rule },
      }
    }
    return [
      ...[...now].filter(([key]) => !before.has(key)).map(([, alarm]) => messageOf(alarm, false)),
      ...[...before].filter(([key]) => !now.has(key)).map(([, alarm]) => messageOf(alarm, true)),
    ]
  }

  /** The tries that were dropped since the last look; of many the latest, and how many more there were. */
  async #dropNews(): Promise<LogMessage[]> {
    if (!isAnswering(this.from.view().state)) return []
    const { recent } = await this.from.gateway.evidence()
    const before = this.#recent
    this.#recent = recent
    if (before === null) return []
    const drops = newFlows(before, recent).filter(({ effect }) => effect === 'block')
    if (drops.length === 0) return []
    const { policy } = await livePolicy(this.from.sql)
    const told = drops.slice(0, DROPS).map(({ at, mac, to, because }): LogMessage => {
      const device = deviceWith(policy, mac)?.name ?? ''
      const rule = policy.rules.find(({ id }) => id === because)?.name ?? because
      const words = `${device || mac} was not let through to ${to}`
      return { kind: 'drop', at, severity: 'info', words, facts: { mac, device, to, rule } }
    })
    return [...told.reverse(), ...moreWords(drops.length - told.length, drops[0]!.at)]
  }

  async #lookupNews(): Promise<LogMessage[]> {
    const runs = this.#lookups
    this.#lookups = []
    if (runs.length === 0) return []
    const { policy } = await livePolicy(this.from.sql)
    return runs.map(({ mac, name, effect, last, tries, first }): LogMessage => {
      const device = deviceWith(policy, mac)?.name ?? ''
      const outcome = effect === 'block' ? 'blocked' : 'allowed'
      const words = `${device || mac} looked up ${name}: ${outcome}`
      return {
        kind: 'lookup',
        at: last,
        severity: 'info',
        words,
        facts: { mac, device, name, outcome, tries, first },
      }
    })
  }
}

/** The flows of a list, newest first, that were not in the one before: also one that is there once more. */
export function newFlows(before: readonly Flow[], now: readonly Flow[]): readonly Flow[] {
  const keyOf = ({ at, mac, to, effect, because }: Flow) => [at, mac, to, effect, because].join(' ')
  const known = new Map<string, number>()
  for (const flow of before) known.set(keyOf(flow), (known.get(keyOf(flow)) ?? 0) + 1)
  return now.filter((flow) => {
    const left = known.get(keyOf(flow)) ?? 0
    known.set(keyOf(flow), left - 1)
    return left <= 0
  })
}

function auditMessage({ number, at, account, address, kind, words }: AuditEntry): LogMessage {
  const facts = { account: account ?? '', address, about: kind, number }
  return { kind: 'audit', at, severity: 'notice', words, facts }
}

function lostWords(count: number): LogMessage[] {
  if (count === 0) return []
  const at = new Date().toISOString()
  const words = `${count} messages were lost, since this server did not take them`
  return [{ kind: 'lost', at, severity: 'warning', words, facts: { count } }]
}

function moreWords(count: number, at: string): LogMessage[] {
  if (count <= 0) return []
  return [{ kind: 'drop', at, severity: 'info', words: `${count} more tries were dropped`, facts: {} }]
}

/** Feeds log servers until the function that comes back is called. */
export function startLogFeed(feed: LogFeed, log: Logger): () => void {
  const stop = pacedLoop(
    { everyMs: LOOK_MS, isSpread: true },
    () => feed.look(),
    (error) => log.warn(error, 'log servers'),
  )
  return () => {
    stop()
    feed.close()
  }
}
