import { hoursLookup } from '../decision/candidate.ts'
import { compile, maskOf, subjectOfMac, type Compiled, type Subject } from '../decision/compile.ts'
import { isBlocked } from '../decision/standing.ts'
import { stateText, timelines, type Segment } from '../decision/timeline.ts'
import type { Device, Policy } from '../policy/types.ts'

/** A device whose time differs between two policies: its segments under each, and the seconds that are opened and closed. */
export interface DeviceChange {
  readonly device: string
  readonly before: readonly Segment[]
  readonly after: readonly Segment[]
  readonly opened: number
  readonly closed: number
}

/**
 * What a change of policy does over `[from, until)` (seconds): every device of either policy whose state differs at some time. A device that one
 * of them lacks stands there as what its first address is then, mostly a newcomer; one without an address is left out.
 */
export function deviceChanges(before: Policy, after: Policy, from: number, until: number): DeviceChange[] {
  const both = [...after.devices, ...before.devices.filter(old => !after.devices.some(device => device.id === old.id))]
  const [earlier, later] = [compile(before), compile(after)]
  // Whom the same clauses meet at the same times stands the same: mostly all but a few.
  const numbers = new Map<string, number>()
  const [had, has] = [clausesOf(earlier, from, until, numbers), clausesOf(later, from, until, numbers)]
  const differing = both.filter(({ id }) => had.get(id) === undefined || had.get(id) !== has.get(id))
  const [was, is] = [segmentsOf(earlier, differing, from, until), segmentsOf(later, differing, from, until)]
  return differing.flatMap(({ id }) => {
    const [earlier, later] = [was.get(id), is.get(id)]
    if (!earlier || !later || sameStates(earlier, later)) return []
    return [{ device: id, before: earlier, after: later, ...blockedDifference(earlier, later) }]
  })
}

/** The seconds in which only the earlier segments are blocked (`opened`), and only the later ones (`closed`). Both cover the same range. */
export function blockedDifference(before: readonly Segment[], after: readonly Segment[]): { opened: number, closed: number } {
  let opened = 0
  let closed = 0
  let other = 0
  for (const segment of before) {
    while (after[other]!.until <= segment.from) other++
    for (let at = other; at < after.length && after[at]!.from < segment.until; at++) {
      const seconds = Math.min(segment.until, after[at]!.until) - Math.max(segment.from, after[at]!.from)
      const [was, is] = [isBlocked(segment.state), isBlocked(after[at]!.state)]
      if (was && !is) opened += seconds
      if (is && !was) closed += seconds
    }
  }
  return { opened, closed }
}

/** A device that loses or gains access at an instant (seconds). */
export interface Turn { readonly device: string, readonly at: number, readonly gains: boolean }

/** Who loses or gains access through a change within `[from, until)` (seconds): each device at the first instant at which one policy blocks it and the other does not; by instant, then in the order of the changes. */
export function turnsWithin(changes: readonly DeviceChange[], from: number, until: number): Turn[] {
  return changes.flatMap(({ device, before, after }): Turn[] => {
    const edges = [from, ...[...before, ...after].map(segment => segment.from).filter(edge => from < edge && edge < until)].sort((a, b) => a - b)
    const blockedAt = (segments: readonly Segment[], at: number) => isBlocked(segments.find(one => one.from <= at && at < one.until)!.state)
    const at = edges.find(edge => blockedAt(before, edge) !== blockedAt(after, edge))
    return at === undefined ? [] : [{ device, at, gains: blockedAt(before, at) }]
  }).sort((a, b) => a.at - b.at)
}

/** For each device all that its states follow from: effect, times and whether it is on the internet of each candidate that includes it, in their order; what is alike has one number. */
function clausesOf(compiled: Compiled, from: number, until: number, numbers: Map<string, number>): Map<string, string> {
  const hours = hoursLookup(compiled.schedules, compiled.zone, from, until)
  const looks = compiled.candidates.map(({ effect, internet, inForce }) => {
    const look = `${effect} ${internet} ${inForce(from, until, hours).map(range => `${range.from}-${range.until}`).join()}`
    if (!numbers.has(look)) numbers.set(look, numbers.size)
    return numbers.get(look)!
  })
  return new Map(compiled.policy.devices.map(({ id, shielded }) => {
    const mask = maskOf(compiled, { device: id, mac: null })
    return [id, shielded ? 'shielded' : looks.filter((_, index) => mask[index >>> 5]! & (1 << (index & 31))).join()]
  }))
}

function segmentsOf(compiled: Compiled, devices: readonly Device[], from: number, until: number): Map<string, readonly Segment[]> {
  const subjects = devices.flatMap((device): [string, Subject][] => {
    if (compiled.includes.has(device.id)) return [[device.id, { device: device.id, mac: null }]]
    const [adapter] = device.adapters
    return adapter ? [[device.id, subjectOfMac(compiled, adapter.mac)]] : []
  })
  const lines = timelines(compiled, subjects.map(([, subject]) => subject), from, until)
  return new Map(subjects.map(([id], index) => [id, lines[index]!.segments]))
}

function sameStates(before: readonly Segment[], after: readonly Segment[]): boolean {
  return stateText(before) === stateText(after)
}
