import { hoursLookup } from '../decision/candidate.ts'
import { compiledOf, maskOf, type Compiled } from '../decision/compile.ts'
import { subjectOf } from '../decision/periods.ts'
import type { State } from '../decision/standing.ts'
import { networkOf, type Subject, type Whereabouts } from '../decision/subject.ts'
import { stateText, timelines, type Segment } from '../decision/timeline.ts'
import type { Policy } from '../policy/types.ts'

/** An address that was seen on the network (lower case, colons), and where. */
export interface Seen extends Whereabouts {
  readonly mac: string
}

/**
 * Seconds in which access differs: less blocked (`opened`), more (`closed`), blocked before and listed sites
 * only after (`listed`), the other way round (`unlisted`).
 */
export interface AccessDifference {
  readonly opened: number
  readonly closed: number
  readonly listed: number
  readonly unlisted: number
}

/**
 * A device whose time differs between two policies, by its id, or by its MAC address where both call it
 * unknown: its segments under each, and how they differ.
 */
export interface DeviceChange extends AccessDifference {
  readonly device: string
  readonly before: readonly Segment[]
  readonly after: readonly Segment[]
}

/**
 * What a change of policy does over `[from, until)` (seconds): every device of either policy, and every
 * unknown one that was seen, whose state
 * differs at some time. A device that one of the policies lacks stands there as what its first address is
 * then, mostly an unknown device; one
 * without an address is left out. Each is in the network in which it was seen.
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
    return stateText(was) === stateText(is)
      ? []
      : [{ device: key, before: was, after: is, ...accessDifference(was, is) }]
  })
}

interface Side {
  readonly compiled: Compiled
  readonly clauses: (subject: Subject) => string
}

/** How much a state lets through, as far as it counts here: nothing, what is listed, the rest. */
const ACCESS: Readonly<Record<State, number>> = { 'cut-off': 0, 'listed-only': 1, 'filtered': 2, 'open': 2 }

/** How the access of later segments differs from that of earlier ones. Both cover the same range. */
export function accessDifference(before: readonly Segment[], after: readonly Segment[]): AccessDifference {
  const sum = { opened: 0, closed: 0, listed: 0, unlisted: 0 }
  let other = 0
  for (const segment of before) {
    while (after[other]!.until <= segment.from) other++
    for (let at = other; at < after.length && after[at]!.from < segment.until; at++) {
      const seconds = Math.min(segment.until, after[at]!.until) - Math.max(segment.from, after[at]!.from)
      const [was, is] = [ACCESS[segment.state], ACCESS[after[at]!.state]]
      if (was < 2 && is === 2) sum.opened += seconds
      else if (was === 2 && is < 2) sum.closed += seconds
      else if (was < is) sum.listed += seconds
      else if (was > is) sum.unlisted += seconds
    }
  }
  return sum
}

/** A device that loses or gains access at an instant (seconds). */
export interface GainOrLoss {
  readonly device: string
  readonly at: number
  readonly gains: boolean
}

/**
 * Who loses or gains access through a change within `[from, until)` (seconds): each device at the first
 * instant at which one policy lets more through than the other; by instant, then in the order of the changes.
 */
export function turnsWithin(changes: readonly DeviceChange[], from: number, until: number): GainOrLoss[] {
  return changes
    .flatMap(({ device, before, after }): GainOrLoss[] => {
      const edges = [
        from,
        ...[...before, ...after].map((segment) => segment.from).filter((edge) => from < edge && edge < until),
      ].sort((a, b) => a - b)
      const accessAt = (segments: readonly Segment[], at: number) =>
        ACCESS[segments.find((one) => one.from <= at && at < one.until)!.state]
      const at = edges.find((edge) => accessAt(before, edge) !== accessAt(after, edge))
      return at === undefined ? [] : [{ device, at, gains: accessAt(before, at) < accessAt(after, at) }]
    })
    .sort((a, b) => a.at - b.at)
}

/**
 * Answers, for a subject, all that its states follow from: effect, times and whether it is on the internet of
 * each candidate that includes it, in their order; what is alike has one number.
 */
function clausesOf(
  compiled: Compiled,
  from: number,
  until: number,
  numbers: Map<string, number>,
): (subject: Subject) => string {
  const hours = hoursLookup(compiled.schedules, compiled.zone, from, until)
  const looks = compiled.candidates.map(({ effect, internet, inForce }) => {
    const look = `${effect} ${internet} ${inForce(from, until, hours)
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
