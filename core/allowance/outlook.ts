import { compile, compiledOf } from '../decision/compile.ts'
import { spenderKey } from '../decision/candidate.ts'
import { isBlocked } from '../decision/standing.ts'
import type { Subject } from '../decision/subject.ts'
import { timelines, type Segment } from '../decision/timeline.ts'
import type { Policy, Spent } from '../policy/types.ts'
import { MINUTE, startOfMinute } from '../time/duration.ts'
import { instantText } from '../time/instant.ts'
import { clip, intersect, unite, type Ranges } from '../time/ranges.ts'
import { allowanceRules, measureOf, sizeOf, type AllowanceRule } from './limits.ts'
import { periodAt } from './period.ts'

/**
 * The usage of an allowance in its period `[from, until)` (instants in UTC), and its limit, in the measure of
 * the rule; `device` and `mac` say whose it is, as in `Spent`.
 */
export interface AllowanceUse extends Spent {
  readonly used: number
  readonly limit: number
}

/**
 * The known usage at an instant (seconds): an allowance that is missing was not used.
 */
export interface KnownUse {
  readonly at: number
  readonly uses: readonly AllowanceUse[]
}

/** An allowance of somebody at an instant: how much is left, and when it may be used up at the earliest. */
export interface AllowanceLeft {
  readonly rule: string
  readonly measure: 'minutes' | 'megabytes'
  /** `null` where nothing is known of the use. */
  readonly left: number | null
  readonly limit: number
  readonly isShared: boolean
  /** Its period, in seconds. */
  readonly from: number
  readonly until: number
  /** Whether the rule's `when` says that it is active. */
  readonly counts: boolean
}

/** Returns the owner of an allowance of a rule, of those that a device uses. */
const ownerOf = ({ after }: AllowanceRule, { device, mac }: Subject) =>
  after.shared ? { device: null, mac: null } : { device, mac }

function useOf(rule: AllowanceRule, subject: Subject, from: number, known: KnownUse): AllowanceUse | null {
  const owner = spenderKey(ownerOf(rule, subject))
  const period = instantText(from)
  return (
    known.uses.find((use) => use.rule === rule.rule.id && use.from === period && spenderKey(use) === owner) ??
    null
  )
}

/** The allowances of somebody at an instant (seconds), in the order of the rules. */
export function allowancesAt(
  policy: Policy,
  subject: Subject,
  known: KnownUse | null,
  at: number,
): AllowanceLeft[] {
  if (policy.devices.some(({ id, shielded }) => shielded && id === subject.device)) return []
  return allowanceRules(policy)
    .filter(({ includes }) => includes(subject))
    .map((rule): AllowanceLeft => {
      const period = periodAt(rule.after, policy.place.timeZone, at)
      // Of a period that was over when it was asked nothing is told.
      const told = known !== null && known.at < period.until ? known : null
      const use = told && useOf(rule, subject, period.from, told)
      const limit = use?.limit ?? sizeOf(rule.after)
      return {
        rule: rule.rule.id,
        measure: measureOf(rule.after),
        left: told && Math.max(0, limit - (use?.used ?? 0)),
        limit,
        isShared: rule.after.shared,
        ...period,
        counts: rule.within(at, at + 1).length > 0,
      }
    })
}

/**
 * When, within `[now, until)` (seconds), each of some may be blocked because an allowance may be used up by
 * then; what is sure is not in it. See "Allowances" in docs/policy.md.
 *
 * @param known what is known of the use now; `null` = nothing
 */
export function mayBeBlocked(
  policy: Policy,
  subjects: readonly Subject[],
  known: KnownUse | null,
  now: number,
  until: number,
): Ranges[] {
  const zone = policy.place.timeZone
  const rules = allowanceRules(policy)
  const touched = subjects.filter((subject) => rules.some(({ includes }) => includes(subject)))
  if (touched.length === 0) return subjects.map(() => [])
  // Without a known usage it may have begun with the current period.
  const first = Math.min(now, ...(known ? [] : rules.map(({ after }) => periodAt(after, zone, now).from)))
  const sure = timelines(compiledOf(policy), touched, first, until).map(({ segments }) => segments)
  const times = rules.map((rule) => rule.within(startOfMinute(first), until))
  const possible = touched.flatMap((subject, index) =>
    rules.flatMap((rule, at) =>
      rule.includes(subject)
        ? possiblySpent(rule, subject, times[at]!, openTimes(sure[index]!), zone, known, now, until)
        : [],
    ),
  )
  const worst = timelines(compile({ ...policy, spent: [...policy.spent, ...possible] }), touched, now, until)
  const ranges = new Map(
    touched.map((subject, index) => [
      subject,
      intersect(openTimes(sure[index]!), blockedTimes(worst[index]!.segments)),
    ]),
  )
  return subjects.map((subject) => ranges.get(subject) ?? [])
}

const openTimes = (segments: readonly Segment[]) => unite(segments.filter(({ state }) => !isBlocked(state)))
const blockedTimes = (segments: readonly Segment[]) => unite(segments.filter(({ state }) => isBlocked(state)))

/** Returns the times at which the allowance of a device may be used up, period by period. */
function possiblySpent(
  rule: AllowanceRule,
  subject: Subject,
  times: Ranges,
  open: Ranges,
  zone: string,
  known: KnownUse | null,
  now: number,
  until: number,
): Spent[] {
  const { after } = rule
  const found: Spent[] = []
  const usable = after.shared ? times : intersect(times, open)
  let period = periodAt(after, zone, now)
  while (period.from < until) {
    const use = known && useOf(rule, subject, period.from, known)
    const left = Math.max(0, (use?.limit ?? sizeOf(after)) - (use?.used ?? 0))
    const start = known ? Math.max(period.from, startOfMinute(now)) : period.from
    const rest = clip(usable, start, period.until)
    const at = 'minutes' in after ? afterMinutes(rest, left) : (rest[0]?.from ?? null)
    if (at !== null && at < period.until) {
      const from = instantText(Math.max(at, Math.min(now, period.until - 1)))
      found.push({ rule: rule.rule.id, ...ownerOf(rule, subject), from, until: instantText(period.until) })
    }
    period = periodAt(after, zone, period.until)
  }
  return found
}

/** The end of the nth minute of the clock that has some of the ranges in it; `null` where there are fewer. */
function afterMinutes(ranges: Ranges, count: number): number | null {
  let left = count
  const whole = unite(
    ranges.map(({ from, until }) => ({
      from: startOfMinute(from),
      until: startOfMinute(until + MINUTE - 1),
    })),
  )
  if (left === 0) return whole[0]?.from ?? null
  for (const { from, until } of whole) {
    const minutes = (until - from) / MINUTE
    if (minutes >= left) return from + left * MINUTE
    left -= minutes
  }
  return null
}
