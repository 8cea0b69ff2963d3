import {
  allowanceRules,
  countsAt,
  limitAt,
  measureOf,
  type AllowanceRule,
} from '../../core/allowance/limits.ts'
import type { AllowanceUse } from '../../core/allowance/outlook.ts'
import { periodAt } from '../../core/allowance/period.ts'
import { spenderKey } from '../../core/decision/candidate.ts'
import { deviceSubject, type Subject } from '../../core/decision/subject.ts'
import type { Allowance, Policy, Spent } from '../../core/policy/types.ts'
import { DAY, MINUTE, startOfMinute } from '../../core/time/duration.ts'
import { instantText } from '../../core/time/instant.ts'
import type { Range } from '../../core/time/ranges.ts'
import type { Use } from './use-reader.ts'

/** The age at which the times of used-up allowances are deleted. */
const KEEP_SECONDS = 8 * DAY
/**
 * The most pools of unknown devices, and the most that are used up, each of which the kernel holds
 * apart: whoever makes up addresses fills no memory. One that is not used up goes for another; where too many
 * are, those of all others count as used up, too.
 */
const MOST_STRANGERS = 4096
const MOST_SPENT_STRANGERS = 256
/** The past periods that are kept of an owner: a clock that was set may come back to one. */
const ENDED_EACH = 3
const BYTES = 1_000_000

/** The owner of an allowance; `null` and `null` = all devices share it. */
type Owner = Pick<Spent, 'device' | 'mac'>

/** The usage of one allowance in one period. */
export interface Pool extends Owner {
  readonly rule: string
  /** The signature of the allowance: while it stays the same, the usage goes on. */
  readonly kind: string
  readonly period: Range
  /** Minutes or bytes. */
  used: number
  /** The network in which its owner was last. */
  network: string | null
  /** The start of the minute that was counted last (seconds). */
  lastMinute: number | null
  /** From when on it is used up (seconds). */
  spentFrom: number | null
}

/** A time `[from, until)` (seconds) in which an allowance was used up. */
export interface SpentTime extends Owner, Range {
  readonly rule: string
}

/** The state of a meter, as it is kept on disk. */
export interface AllowanceState {
  readonly pools: readonly Pool[]
  readonly past: readonly SpentTime[]
  /** Pools whose periods are over; missing in what earlier programs wrote. */
  readonly ended?: readonly Pool[]
}

/** Counts what is used of the allowances of a policy, as docs/policy.md says. */
export class AllowanceMeter {
  #policy: Policy | null = null
  #rules: readonly AllowanceRule[] = []
  readonly #pools = new Map<string, Pool>()
  /** Pools whose periods are over, by owner, the latest last. */
  readonly #ended = new Map<string, Pool[]>()
  /** The time of the last settling (seconds): an earlier time means that the clock was set back. */
  #settledAt = -Infinity
  #isFull = false
  #past: SpentTime[] = []
  /**
   * The time at which the earlier usage could not be read (seconds): allowances of that time count as used
   * up.
   */
  #lostAt = -Infinity

  /** Whether some allowance of an instant (seconds) is taken for used up because the use was lost. */
  isUnsure(at: number): boolean {
    const zone = this.#policy?.place.timeZone ?? 'UTC'
    return this.#rules.some(({ after }) => periodAt(after, zone, at).from <= this.#lostAt)
  }

  /** Whether it counts by a policy already. */
  get hasPolicy(): boolean {
    return this.#policy !== null
  }

  /** Counts by a policy from an instant (seconds) on. What goes on of an allowance keeps its use. */
  setPolicy(policy: Policy, at: number): void {
    if (this.#policy === policy) return
    this.#policy = policy
    this.#rules = allowanceRules(policy)
    const devices = new Set(policy.devices.map(({ id }) => id))
    for (const [key, pool] of this.#pools) {
      const isGone = pool.device !== null && !devices.has(pool.device)
      if (isGone || !this.#ruleOf(pool)) this.#end(key, pool, at)
    }
    if (this.#lostAt > -Infinity)
      for (const rule of this.#rules)
        for (const owner of this.#ownersOf(rule)) this.#pool(rule, owner, null, at)
    this.settle(at)
  }

  /** Whether more unknown devices have used allowances up than are kept: those of others count as used up. */
  get isFull(): boolean {
    return this.#isFull
  }

  /** Counts what was used by an instant (seconds), by those whom `subjectOf` says. */
  take(uses: readonly Use[], at: number, subjectOf: (mac: string) => Subject): void {
    if (this.#rules.length === 0) return
    this.#followClock(at)
    this.#turnPeriods(at)
    for (const use of uses) {
      const subject = subjectOf(use.mac)
      for (const rule of this.#rules)
        if (!('minutes' in rule.after) && rule.includes(subject)) this.#countBytes(rule, subject, use, at)
    }
    // In the order of time: a shared allowance counts a minute once, whoever used it.
    const minutes = uses
      .flatMap(({ mac, activeMinutes }) => activeMinutes.map((minute) => ({ mac, minute })))
      .sort((a, b) => a.minute - b.minute)
    for (const { mac, minute } of minutes) {
      const subject = subjectOf(mac)
      for (const rule of this.#rules)
        if ('minutes' in rule.after && rule.includes(subject)) this.#countMinute(rule, subject, minute, at)
    }
    this.settle(at)
  }

  /** Begins the periods of an instant (seconds), and says anew which allowances are used up. */
  settle(at: number): void {
    this.#followClock(at)
    this.#turnPeriods(at)
    for (const pool of this.#pools.values()) this.#settleOne(pool, at)
    const spent = [...this.#pools.values()].filter(({ mac, spentFrom }) => mac !== null && spentFrom !== null)
    this.#isFull = spent.length >= MOST_SPENT_STRANGERS
    // The others go on by what is said of all.
    for (const pool of spent.slice(MOST_SPENT_STRANGERS)) this.#pools.delete(keyOf(pool.rule, pool))
  }

  /**
   * Returns the times at which allowances were or will be used up, of those that go on at or after an
   * instant (seconds).
   */
  spent(since: number): Spent[] {
    const current = [...this.#pools.values()].flatMap((pool) => spentTimeOf(pool) ?? [])
    return [...this.#past, ...current]
      .filter(({ until }) => until > since)
      .map(({ rule, device, mac, from, until }) => ({
        rule,
        device,
        mac,
        from: instantText(from),
        until: instantText(until),
      }))
  }

  /** Returns the usage of the allowances in whose period an instant (seconds) lies. */
  uses(at: number): AllowanceUse[] {
    return [...this.#pools.values()].flatMap((pool) => {
      const rule = this.#ruleOf(pool)
      if (!rule || at >= pool.period.until) return []
      const [used, limit] = [pool.used, this.#limitOf(rule, pool, at)]
      const size = 'minutes' in rule.after ? 1 : BYTES
      const { device, mac, period } = pool
      return [
        {
          rule: pool.rule,
          device,
          mac,
          from: instantText(period.from),
          until: instantText(period.until),
          used: used / size,
          limit: limit / size,
        },
      ]
    })
  }

  state(): AllowanceState {
    return { pools: [...this.#pools.values()], past: this.#past, ended: [...this.#ended.values()].flat() }
  }

  /**
   * Takes up what was kept.
   *
   * @param state `null` = it could not be read: allowances of now (seconds) are taken for used up
   */
  restore(state: AllowanceState | null, now: number): void {
    if (state === null) {
      this.#lostAt = now
      return
    }
    for (const pool of state.pools) this.#pools.set(keyOf(pool.rule, pool), { ...pool })
    this.#past = [...state.past]
    for (const pool of state.ended ?? []) this.#keepEnded(keyOf(pool.rule, pool), { ...pool })
  }

  #countMinute(rule: AllowanceRule, subject: Subject, minute: number, at: number): void {
    if (!countsAt(rule, minute)) return
    const pool = this.#pool(rule, rule.after.shared ? NOBODY : subject, subject.network, at)
    if (
      !pool ||
      (pool.lastMinute !== null && minute <= pool.lastMinute) ||
      minute < pool.period.from - MINUTE
    )
      return
    pool.used += 1
    pool.lastMinute = minute
  }

  #countBytes(rule: AllowanceRule, subject: Subject, { sent, received }: Use, at: number): void {
    const bytes = sent.bytes + received.bytes
    if (bytes === 0 || !countsAt(rule, at)) return
    const pool = this.#pool(rule, rule.after.shared ? NOBODY : subject, subject.network, at)
    if (pool) pool.used += bytes
  }

  /**
   * Takes back what a clock that was ahead said: times that are to come, and minutes that were not yet. Pools
   * of such periods go, and those of this one come back with what was used.
   */
  #followClock(at: number): void {
    const isBack = at < this.#settledAt
    this.#settledAt = at
    if (!isBack) return
    this.#past = this.#past.flatMap((one) =>
      one.from < at ? [{ ...one, until: Math.min(one.until, at) }] : [],
    )
    for (const [key, pool] of this.#pools) {
      if (at < pool.period.from) this.#pools.delete(key)
      else {
        if (pool.lastMinute !== null && pool.lastMinute > at) pool.lastMinute = startOfMinute(at)
        if (pool.spentFrom !== null && pool.spentFrom > at + MINUTE) pool.spentFrom = null
      }
    }
    for (const rule of this.#rules) {
      const { from } = periodAt(rule.after, this.#policy!.place.timeZone, at)
      for (const ended of this.#ended.values())
        for (const pool of ended)
          if (
            pool.rule === rule.rule.id &&
            pool.period.from === from &&
            !this.#pools.has(keyOf(pool.rule, pool))
          )
            this.#pool(rule, pool, pool.network, at)
    }
  }

  /** The pool of somebody, begun where there is none; `null` where there are too many. */
  #pool(rule: AllowanceRule, { device, mac }: Owner, network: string | null, at: number): Pool | null {
    const key = keyOf(rule.rule.id, { device, mac })
    const known = this.#pools.get(key)
    if (known) known.network = network
    if (known) return known
    if (mac !== null && !this.#makeRoom()) return null
    const period = periodAt(rule.after, this.#policy!.place.timeZone, at)
    const begun = { rule: rule.rule.id, kind: kindOf(rule.after), device, mac, period, network }
    const before = this.#ended
      .get(key)
      ?.find((one) => one.kind === begun.kind && one.period.from === period.from)
    const lastMinute = before?.lastMinute != null && before.lastMinute <= at ? before.lastMinute : null
    const pool: Pool = { ...begun, used: before?.used ?? 0, lastMinute, spentFrom: null }
    if (this.#lostAt >= period.from) pool.used = this.#limitOf(rule, pool, at)
    this.#pools.set(key, pool)
    return pool
  }

  /** Sees to it that there is room for the pool of one more unknown device; returns whether there is. */
  #makeRoom(): boolean {
    if (this.#isFull) return false
    if (this.#pools.size < MOST_STRANGERS) return true
    for (const [key, pool] of this.#pools) {
      if (pool.mac === null || pool.spentFrom !== null) continue
      this.#pools.delete(key)
      return true
    }
    return false
  }

  #settleOne(pool: Pool, at: number): void {
    const rule = this.#ruleOf(pool)!
    const isOver = pool.used >= this.#limitOf(rule, pool, at)
    if (!isOver && pool.spentFrom !== null) {
      this.#keepPast({ ...spentTimeOf(pool)!, until: at })
      pool.spentFrom = null
    }
    if (!isOver || pool.spentFrom !== null) return
    // A minute is used up at its end.
    const from = Math.max(at, (pool.lastMinute ?? -Infinity) + MINUTE)
    if (from < pool.period.until) pool.spentFrom = from
  }

  #turnPeriods(at: number): void {
    for (const [key, pool] of this.#pools)
      if (at >= pool.period.until) {
        this.#end(key, pool, pool.period.until)
        this.#keepEnded(key, pool)
      }
    this.#past = this.#past.filter(({ until }) => until > at - KEEP_SECONDS)
  }

  /** Keeps a pool whose period is over: the clock may be set back into it. */
  #keepEnded(key: string, pool: Pool): void {
    const ended = [
      ...(this.#ended.get(key) ?? []).filter(({ period }) => period.from !== pool.period.from),
      pool,
    ]
    this.#ended.delete(key)
    this.#ended.set(key, ended.slice(-ENDED_EACH))
    for (const oldest of this.#ended.keys()) {
      if (this.#ended.size <= MOST_STRANGERS) break
      this.#ended.delete(oldest)
    }
  }

  #end(key: string, pool: Pool, at: number): void {
    const spent = spentTimeOf(pool)
    if (spent) this.#keepPast({ ...spent, until: Math.min(at, spent.until) })
    this.#pools.delete(key)
  }

  #keepPast(spent: SpentTime): void {
    if (spent.from < spent.until) this.#past.push(spent)
  }

  /** The rule that a pool counts for; `undefined` where it does not any longer. */
  #ruleOf(pool: Pool): AllowanceRule | undefined {
    return this.#rules.find(({ rule, after }) => rule.id === pool.rule && kindOf(after) === pool.kind)
  }

  #limitOf(rule: AllowanceRule, pool: Pool, at: number): number {
    const { device, mac, network, period } = pool
    const owner = rule.after.shared ? null : { device, mac, network }
    const limit = limitAt(this.#policy!, rule, owner, period, at)
    return 'minutes' in rule.after ? limit : limit * BYTES
  }

  /** All who are known to have an allowance of a rule. */
  #ownersOf({ after, includes }: AllowanceRule): Owner[] {
    if (after.shared) return [NOBODY]
    return this.#policy!.devices.map(({ id }) => deviceSubject(id)).filter(includes)
  }
}

const NOBODY: Owner = { device: null, mac: null }

const keyOf = (rule: string, owner: Owner) => `${rule} ${spenderKey(owner)}`

const kindOf = (after: Allowance) => [measureOf(after), after.per, after.from, after.shared].join(' ')

function spentTimeOf({ rule, device, mac, spentFrom, period }: Pool): SpentTime | null {
  return spentFrom === null ? null : { rule, device, mac, from: spentFrom, until: period.until }
}
