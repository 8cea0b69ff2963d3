import { hoursLookup } from '../decision/candidate.ts'
import { compiledOf, maskOf, type Compiled } from '../decision/compile.ts'
import { subjectOf } from '../decision/periods.ts'
import { clauseItems, reachTeller, type ReachTeller } from '../decision/reach.ts'
import type { State } from '../decision/standing.ts'
import { networkOf, type Subject, type Whereabouts } from '../decision/subject.ts'
import { timelines, type Segment } from '../decision/timeline.ts'
import type { Policy } from '../policy/types.ts'
import { clip, unite, type Range, type Ranges } from '../time/ranges.ts'

/** An address that was seen on the network (lower case, colons), and where. */
export interface Seen extends Whereabouts {
  readonly mac: string
}

/**
 * Seconds in which access differs: less blocked (`opened`), more (`closed`), blocked before and listed sites
 * only after (`listed`), the other way round (`unlisted`), or as much, of other sites and services (`partly`).
 */
export interface AccessDifference {
  readonly opened: number
  readonly closed: number
  readonly listed: number
  readonly unlisted: number
  readonly partly: number
}

/**
 * A device whose time differs between two policies, by its id, or by its MAC address where both call it
 * unknown: its segments under each, and how they differ.
 */
export interface DeviceChange extends AccessDifference {
  readonly device: string
  readonly before: readonly Segment[]
  readonly after: readonly Segment[]
  /** The times at which the device can reach something else. */
  readonly differs: Ranges
}

/**
 * Returns the effect of a change of policy over `[from, until)` (seconds): every device of either policy, and
 * every unknown one that was seen, that can reach something else at some time. A device that one of the
 * policies lacks stands there as what its first address is then, mostly an unknown device; one without an
 * address is left out. Each is in the network in which it was seen.
 */
export function deviceChanges(
  before: Policy,
  after: Policy,
  from: number,
  until: number,
  seen: readonly Seen[] = [],
): DeviceChange[] {
  const devices = [
    ...after.devices,
    ...before.devices.filter((old) => !after.devices.some((device) => device.id === old.id)),
  ].map(({ id, adapters }) => ({ key: id, device: id, macs: adapters.map(({ mac }) => mac) }))
  const owned = new Set(devices.flatMap(({ macs }) => macs))
  const unknown = seen
    .filter(({ mac }) => !owned.has(mac))
    .map(({ mac }) => ({ key: mac, device: null, macs: [mac] }))
  const whereOf = new Map(seen.map((one) => [one.mac, one]))
  // Those to whom the same clauses apply at the same times stand alike: mostly all but a few.
  const numbers = new Map<string, number>()
  const [earlier, later] = [before, after].map((policy) => {
    const compiled = compiledOf(policy)
    return { compiled, clauses: clausesOf(compiled, from, until, numbers) }
  }) as [Side, Side]
  const people = [...devices, ...unknown].flatMap(({ key, device, macs }) => {
    const where = macs.flatMap((mac) => whereOf.get(mac) ?? [])[0]
    const subject = ({ compiled }: Side): Subject | null => {
      const network = where ? networkOf(compiled.policy.networks, where) : null
      const isKnown = device !== null && compiled.includes.has(device)
      return isKnown || macs.length > 0 ? subjectOf(compiled, { device, macs, network }) : null
    }
    const [was, is] = [subject(earlier), subject(later)]
    return was && is && earlier.clauses(was) !== later.clauses(is) ? [{ key, was, is }] : []
  })
  const had = timelines(
    earlier.compiled,
    people.map(({ was }) => was),
    from,
    until,
  )
  const has = timelines(
    later.compiled,
    people.map(({ is }) => is),
    from,
    until,
  )
  return people.flatMap(({ key }, index) => {
    const [was, is] = [had[index]!.segments, has[index]!.segments]
    const differs = reachDifferences(was, reachTeller(before), is, reachTeller(after))
    return differs.length === 0
      ? []
      : [{ device: key, before: was, after: is, differs, ...accessDifference(was, is, differs) }]
  })
}

/**
 * Returns the times at which segments of two policies differ in what they allow; both cover the same range.
 */
function reachDifferences(
  before: readonly Segment[],
  reachBefore: ReachTeller,
  after: readonly Segment[],
  reachAfter: ReachTeller,
): Ranges {
  const differing: Range[] = []
  for (const [was, is, range] of together(before, after))
    if (reachBefore(was) !== reachAfter(is)) differing.push(range)
  return unite(differing)
}

/** Yields the overlaps of the segments of two timelines over the same range, in order. */
function* together(
  before: readonly Segment[],
  after: readonly Segment[],
): Generator<[was: Segment, is: Segment, range: Range]> {
  let other = 0
  for (const was of before) {
    while (after[other]!.until <= was.from) other++
    for (let at = other; at < after.length && after[at]!.from < was.until; at++) {
      const is = after[at]!
      yield [was, is, { from: Math.max(was.from, is.from), until: Math.min(was.until, is.until) }]
    }
  }
}

interface Side {
  readonly compiled: Compiled
  readonly clauses: (subject: Subject) => string
}

/** Returns the rank of a state by what it lets through: nothing, the listed sites, the rest. */
const ACCESS: Readonly<Record<State, number>> = { 'cut-off': 0, 'listed-only': 1, 'filtered': 2, 'open': 2 }

/**
 * Returns the difference in access between later segments and earlier ones. Both cover the same range.
 *
 * @param differs when what can be reached differs
 */
export function accessDifference(
  before: readonly Segment[],
  after: readonly Segment[],
  differs: Ranges = [],
): AccessDifference {
  const sum = { opened: 0, closed: 0, listed: 0, unlisted: 0, partly: 0 }
  for (const [segment, other, range] of together(before, after)) {
    const seconds = range.until - range.from
    const [was, is] = [ACCESS[segment.state], ACCESS[other.state]]
    if (was < 2 && is === 2) sum.opened += seconds
    else if (was === 2 && is < 2) sum.closed += seconds
    else if (was < is) sum.listed += seconds
    else if (was > is) sum.unlisted += seconds
    else
      sum.partly += clip(differs, range.from, range.until).reduce(
        (all, { from, until }) => all + until - from,
        0,
      )
  }
  return sum
}

/**
 * A device that loses or gains access at an instant (seconds); `null` = it can reach other sites or
 * services.
 */
export interface GainOrLoss {
  readonly device: string
  readonly at: number
  readonly gains: boolean | null
}

/**
 * Returns the devices that lose or gain access through a change within `[from, until)` (seconds): each device
 * at the first instant at which one policy lets more through than the other, or where there is none lets
 * through something else; by instant, then in the order of the changes.
 */
export function turnsWithin(changes: readonly DeviceChange[], from: number, until: number): GainOrLoss[] {
  return changes
    .flatMap(({ device, before, after, differs }): GainOrLoss[] => {
      const edges = [
        from,
        ...[...before, ...after].map((segment) => segment.from).filter((edge) => from < edge && edge < until),
      ].sort((a, b) => a - b)
      const accessAt = (segments: readonly Segment[], at: number) =>
        ACCESS[segments.find((one) => one.from <= at && at < one.until)!.state]
      const at = edges.find((edge) => accessAt(before, edge) !== accessAt(after, edge))
      if (at !== undefined) return [{ device, at, gains: accessAt(before, at) < accessAt(after, at) }]
      const [partly] = clip(differs, from, until)
      return partly ? [{ device, at: partly.from, gains: null }] : []
    })
    .sort((a, b) => a.at - b.at)
}

/**
 * Answers, for a subject, all that its reach follows from: effect, times and what it covers of
 * each candidate that includes it, in their order; what is alike has one number.
 */
function clausesOf(
  compiled: Compiled,
  from: number,
  until: number,
  numbers: Map<string, number>,
): (subject: Subject) => string {
  const hours = hoursLookup(compiled.schedules, compiled.zone, from, until)
  const itemsOf = clauseItems(compiled.policy)
  const looks = compiled.candidates.map(({ id, effect, inForce }) => {
    const look = `${effect} ${itemsOf(id).items.join()} ${inForce(from, until, hours)
      .map((range) => `${range.from}-${range.until}`)
      .join()}`
    if (!numbers.has(look)) numbers.set(look, numbers.size)
    return numbers.get(look)!
  })
  return (subject) => {
    if (subject.device !== null && compiled.shielded.has(subject.device)) return 'shielded'
    const mask = maskOf(compiled, subject)
    return looks.filter((_, index) => mask[index >>> 5]! & (1 << (index & 31))).join()
  }
}
