import type { Policy } from '../policy/types.ts'
import { compile, subjectOfMac, type Compiled, type Subject } from './compile.ts'
import { momentsAt, type Moment } from './moment.ts'
import { timelines, type Segment, type Timeline } from './timeline.ts'
import type { Standing } from './standing.ts'

/** A policy and the time `[from, until)` (seconds; infinite at the ends) in which it was, is or will be in force. */
export interface Era { readonly from: number, readonly until: number, readonly policy: Policy }

/** Somebody whom different policies may know differently: by the id of a device (`null` = none), else by the first address. */
export interface Person { readonly device: string | null, readonly macs: readonly string[] }

/** Who a person is to a policy made ready: the device with that id, else whoever has the first address, mostly a newcomer. */
export function subjectOf(compiled: Compiled, { device, macs }: Person): Subject {
  if (device !== null && compiled.includes.has(device)) return { device, mac: null }
  return subjectOfMac(compiled, macs[0] ?? '')
}

/**
 * Everyone's segments over `[from, until)` (seconds), in the order asked, each era by its own policy; what goes on alike from one era into the next is one
 * segment. The eras follow each other without a gap and cover the range. Each timeline is named by the subject in the last era of the range.
 */
export function eraTimelines(eras: readonly Era[], people: readonly Person[], from: number, until: number): Timeline[] {
  const parts = eras.filter(era => era.from < until && from < era.until).map((era) => {
    const compiled = compile(era.policy)
    return timelines(compiled, people.map(person => subjectOf(compiled, person)), Math.max(from, era.from), Math.min(until, era.until))
  })
  return people.map((_, index) => {
    const segments: Segment[] = []
    for (const segment of parts.flatMap(part => part[index]!.segments)) {
      const last = segments.at(-1)
      if (last && sameStanding(last, segment)) segments[segments.length - 1] = { ...last, until: segment.until }
      else segments.push(segment)
    }
    const { device, mac } = parts.at(-1)![index]!
    return { device, mac, segments }
  })
}

/** How everyone stands at an instant (seconds) by the era of that time, with `since` and `until` followed into the eras before and after it. */
export function eraMoments(eras: readonly Era[], people: readonly Person[], at: number): Moment[] {
  const here = eras.findIndex(era => era.from <= at && at < era.until)
  const ready = new Map<number, Compiled>()
  const compiledOf = (index: number) => ready.get(index) ?? ready.set(index, compile(eras[index]!.policy)).get(index)!
  const momentIn = (index: number, person: Person, when: number) => momentsAt(compiledOf(index), [subjectOf(compiledOf(index), person)], when)[0]!
  const now = momentsAt(compiledOf(here), people.map(person => subjectOf(compiledOf(here), person)), at)
  return people.map((person, index) => {
    const moment = now[index]!
    let [since, until] = [moment.since, moment.until]
    for (let era = here; era > 0 && (since === null || since < eras[era]!.from); era--) {
      const before = momentIn(era - 1, person, eras[era]!.from - 1)
      since = sameStanding(before, moment) ? before.since : eras[era]!.from
    }
    for (let era = here; era < eras.length - 1 && (until === null || until > eras[era]!.until); era++) {
      const after = momentIn(era + 1, person, eras[era]!.until)
      until = sameStanding(after, moment) ? after.until : eras[era]!.until
    }
    return { ...moment, since, until }
  })
}

function sameStanding(a: Standing, b: Standing): boolean {
  return a.state === b.state && a.because?.id === b.because?.id && a.because?.kind === b.because?.kind && a.clauses.join('\n') === b.clauses.join('\n')
}
