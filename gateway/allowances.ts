import { allowanceRules, countsAt, limitAt, measureOf, type AllowanceRule } from '../core/allowance/limits.ts'
import type { AllowanceUse } from '../core/allowance/outlook.ts'
import { periodAt } from '../core/allowance/period.ts'
import { spenderKey } from '../core/decision/candidate.ts'
import { deviceSubject, type Subject } from '../core/decision/subject.ts'
import type { Allowance, Policy, Spent } from '../core/policy/types.ts'
import { DAY, MINUTE } from '../core/time/duration.ts'
import { instantText } from '../core/time/instant.ts'
import type { Range } from '../core/time/ranges.ts'
import type { Use } from './use-reader.ts'

/** For how long it is kept when allowances were used up, in seconds. */
const KEPT = 8 * DAY
/** From how many on those of unknown devices are not counted: whoever makes up addresses fills no memory. */
const MOST = 20_000
const BYTES = 1_000_000

/** Whose an allowance is; `null` and `null` = of all together. */
type Owner = Pick<Spent, 'device' | 'mac'>

/** What was used of one allowance in one period. */
export interface Pool extends Owner {
  readonly rule: string
  /** What of the allowance must stay the same for the use to go on. */
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

/** What a meter knows, as it is kept on disk. */
export interface AllowanceState {
  readonly pools: readonly Pool[]
  readonly past: readonly SpentTime[]
}

/** Counts what is used of the allowances of a policy, as docs/policy.md says. */
export class AllowanceMeter {
  #policy: Policy | null = null
  #rules: readonly AllowanceRule[] = []
  readonly #pools = new Map<string, Pool>()
  #past: SpentTime[] = []
  /** When what was used before could not be read (seconds): allowances of that time are taken for used up. */
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

  /** Counts what was used by an instant (seconds), by those whom `subjectOf` says. */
  take(uses: readonly Use[], at: number, subjectOf: (mac: string) => Subject): void {
    if (this.#rules.length === 0) return
    this.#turnPeriods(at)
    for (const use of uses) {
      const subject = subjectOf(use.mac)
      for (const rule of this.#rules) if (rule.includes(subject)) this.#count(rule, subject, use, at)
    }
    this.settle(at)
  }

  /** Begins the periods of an instant (seconds), and says anew which allowances are used up. */
  settle(at: number): void {
    this.#turnPeriods(at)
    for (const pool of this.#pools.values()) this.#settleOne(pool, at)
  }

  /** When allowances were used up, or will be, as far as it goes on at or after an instant (seconds). */
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

  /** What was used of the allowances whose period an instant (seconds) lies in. */
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
    return { pools: [...this.#pools.values()], past: this.#past }
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
  }

  #count(rule: AllowanceRule, subject: Subject, { sent, received, activeMinute }: Use, at: number): void {
    const owner = rule.after.shared ? NOBODY : subject
    if ('minutes' in rule.after) {
      if (activeMinute === null || !countsAt(rule, activeMinute)) return
      const pool = this.#pool(rule, owner, subject.network, at)
      if (!pool || pool.lastMinute === activeMinute) return
      pool.used += 1
      pool.lastMinute = activeMinute
      return
    }
    const bytes = sent.bytes + received.bytes
    if (bytes === 0 || !countsAt(rule, at)) return
    const pool = this.#pool(rule, owner, subject.network, at)
    if (pool) pool.used += bytes
  }

  /** The pool of somebody, begun where there is none; `null` where there are too many. */
  #pool(rule: AllowanceRule, { device, mac }: Owner, network: string | null, at: number): Pool | null {
    const key = keyOf(rule.rule.id, { device, mac })
    const known = this.#pools.get(key)
    if (known) known.network = network
    if (known) return known
    if (mac !== null && this.#pools.size >= MOST) return null
    const period = periodAt(rule.after, this.#policy!.place.timeZone, at)
    const begun = { rule: rule.rule.id, kind: kindOf(rule.after), device, mac, period, network }
    const pool: Pool = { ...begun, used: 0, lastMinute: null, spentFrom: null }
    if (this.#lostAt >= period.from) pool.used = this.#limitOf(rule, pool, at)
    this.#pools.set(key, pool)
    return pool
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
      if (at >= pool.period.until) this.#end(key, pool, pool.period.until)
    this.#past = this.#past.filter(({ until }) => until > at - KEPT)
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
