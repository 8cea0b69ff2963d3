import { readDestination, type Destination } from '../../core/destination/destination.ts'
import type { Because, State } from '../../core/decision/standing.ts'
import type { Subject } from '../../core/decision/subject.ts'
import type { Policy, Schedule, Who } from '../../core/policy/types.ts'

// A slow, obvious reading of docs/policy.md, instant by instant: the wall clock comes from Intl, and nothing
// is shared with core/ but
// the types and the reading of a destination.

export interface OracleStanding {
  readonly state: State
  readonly decidedBy: Because | null
  readonly clauses: readonly string[]
}

interface Clause {
  readonly id: string
  readonly kind: 'rule' | 'override'
  readonly effect: 'block' | 'allow'
  readonly internet: boolean
}

const readers = new Map<string, Intl.DateTimeFormat>()
const readings = new Map<string, { date: string; minute: number }>()

/** The wall clock's date ("2026-11-27") and minute of the day in the zone. */
export function wallClock(instant: number, zone: string): { date: string; minute: number } {
  const key = `${zone} ${Math.floor(instant / 60)}`
  const reading = readings.get(key) ?? readClock(instant, zone)
  readings.set(key, reading)
  return reading
}

function readClock(instant: number, zone: string): { date: string; minute: number } {
  let reader = readers.get(zone)
  if (!reader)
    readers.set(
      zone,
      (reader = new Intl.DateTimeFormat('en-CA', {
        timeZone: zone,
        hourCycle: 'h23',
        year: 'numeric',
        month: '2-digit',
        day: '2-digit',
        hour: '2-digit',
        minute: '2-digit',
      })),
    )
  const parts = Object.fromEntries(
    reader.formatToParts(instant * 1000).map(({ type, value }) => [type, value]),
  )
  return {
    date: `${parts.year}-${parts.month}-${parts.day}`,
    minute: Number(parts.hour) * 60 + Number(parts.minute),
  }
}

const DAYS = ['su', 'mo', 'tu', 'we', 'th', 'fr', 'sa']
const dayBefore = (date: string) =>
  new Date(Date.parse(`${date}T00:00Z`) - 86_400_000).toISOString().slice(0, 10)
const minutes = (text: string) => Number(text.slice(0, 2)) * 60 + Number(text.slice(3))

/** The windows that start on a date, as [start, end) in minutes from its midnight. */
function windowsOn(schedule: Pick<Schedule, 'week' | 'exceptions'>, date: string): [number, number][] {
  const exception = schedule.exceptions.find(({ from, until }) => from <= date && date <= until)
  if (exception) return windows(exception.hours)
  let found: [number, number][] = []
  for (const part of schedule.week
    .toLowerCase()
    .split(';')
    .map((text) => text.trim())) {
    const match = /^([a-z, -]*?)\s*(off|24\/7|\d.*)$/.exec(part)!
    if (match[1] === '' || named(match[1]!).includes(DAYS[new Date(`${date}T00:00Z`).getUTCDay()]!))
      found = windows(match[2]!)
  }
  return found
}

function named(days: string): string[] {
  return days.split(',').flatMap((range) => {
    const [first, last = first] = range.split('-').map((day) => day.trim()) as [string, string?]
    const all = [...DAYS, ...DAYS]
    const start = all.indexOf(first)
    return all.slice(start, all.indexOf(last!, start) + 1)
  })
}

function windows(hours: string): [number, number][] {
  if (hours === 'off') return []
  if (hours === '24/7') return [[0, 1440]]
  return hours.split(',').map((text) => {
    const [start, end] = text.split('-').map((time) => minutes(time.trim())) as [number, number]
    return [start, end < start ? end + 1440 : end]
  })
}

/** Whether the wall clock reads a time inside one of the schedule's windows. */
export function insideSchedule(
  schedule: Pick<Schedule, 'week' | 'exceptions'>,
  zone: string,
  instant: number,
): boolean {
  const { date, minute } = wallClock(instant, zone)
  const within = (windows: [number, number][], reading: number) =>
    windows.some(([start, end]) => start <= reading && reading < end)
  return (
    within(windowsOn(schedule, date), minute) || within(windowsOn(schedule, dayBefore(date)), minute + 1440)
  )
}

/**
 * The instant of a local date-time, by trying every quarter of an hour around it: the earlier one where it is
 * repeated, shifted forward where it is skipped.
 */
export function instantOf(local: string, zone: string): number {
  const key = `${local} ${zone}`
  const known = instantsOf.get(key) ?? findInstant(local, zone)
  instantsOf.set(key, known)
  return known
}

const instantsOf = new Map<string, number>()

function findInstant(local: string, zone: string): number {
  const wanted = Date.parse(`${local}Z`) / 1000
  const reading = (instant: number) => {
    const { date, minute } = wallClock(instant, zone)
    return Date.parse(`${date}T00:00Z`) / 1000 + minute * 60
  }
  for (let instant = wanted - 15 * 3600; instant <= wanted + 15 * 3600; instant += 900)
    if (reading(instant) === wanted) return instant
  // Skipped: as many seconds after the last instant before the gap as it would have been without one.
  let before = wanted - 15 * 3600
  while (reading(before + 900) < wanted) before += 900
  return before + wanted - reading(before)
}

function includes(
  policy: Policy,
  who: Who & { macs?: readonly string[] },
  { device, mac, network }: Subject,
): boolean {
  const inNetwork = (part: { networks: readonly string[] }) =>
    network !== null && part.networks.includes(network)
  const has = (part: { devices: readonly string[]; groups: readonly string[] }) =>
    device !== null &&
    (part.devices.includes(device) ||
      policy.groups.some((group) => part.groups.includes(group.id) && group.members.includes(device)))
  const own =
    device === null
      ? [mac]
      : policy.devices.find(({ id }) => id === device)!.adapters.map((adapter) => adapter.mac)
  const named =
    who.everyone ||
    (device === null && who.newcomers) ||
    has(who) ||
    inNetwork(who) ||
    own.some((one) => one !== null && who.macs?.includes(one))
  return named && !has(who.except) && !inNetwork(who.except)
}

function clausesOf(policy: Policy, subject: Subject, instant: number): Clause[] {
  const zone = policy.place.timeZone
  const seconds = (text: string) => Date.parse(text) / 1000
  const overrides = policy.overrides
    .map((override, index) => ({ ...override, index }))
    .filter(
      ({ from, until, who, more }) =>
        more === null &&
        seconds(from) <= instant &&
        (until === null || instant < seconds(until)) &&
        includes(policy, who, subject),
    )
    .sort((a, b) => seconds(b.from) - seconds(a.from) || b.index - a.index)
    .map(({ id, effect, what }): Clause => ({ id, kind: 'override', effect, internet: what === null }))
  const rules = policy.rules
    .filter(({ id, enabled, logOnly, who, when, after }) => {
      if (after && !isSpent(policy, id, after.shared ? null : subject, instant)) return false
      if (!enabled || logOnly || !includes(policy, who, subject)) return false
      if ('always' in when) return true
      if ('from' in when)
        return instantOf(when.from, zone) <= instant && instant < instantOf(when.until, zone)
      return (
        when.schedules.some((id) =>
          insideSchedule(
            policy.schedules.find((schedule) => schedule.id === id)!,
            zone,
            instant,
          ),
        ) !== when.outside
      )
    })
    .map(({ id, effect, what }): Clause => ({ id, kind: 'rule', effect, internet: what.internet }))
  const all = [...overrides, ...rules]
  const end = all.findIndex((clause) => clause.internet)
  return end < 0 ? all : all.slice(0, end + 1)
}

/** Whether somebody's allowance is used up, or with `null` that of all together. */
function isSpent(policy: Policy, rule: string, subject: Subject | null, instant: number): boolean {
  return policy.spent.some(
    (one) =>
      one.rule === rule &&
      one.device === (subject?.device ?? null) &&
      one.mac === (subject && subject.device === null ? subject.mac : null) &&
      (subject === null || one.device !== null || one.mac !== null) &&
      Date.parse(one.from) <= instant * 1000 &&
      instant * 1000 < Date.parse(one.until),
  )
}

/** Returns the standing of a device at an instant (seconds). */
export function oracleStanding(policy: Policy, subject: Subject, instant: number): OracleStanding {
  const { device } = subject
  if (policy.devices.some(({ id, shielded }) => id === device && shielded))
    return { state: 'open', decidedBy: { kind: 'shielded', id: device! }, clauses: [] }
  const list = clausesOf(policy, subject, instant)
  const clauses = list.map(({ id }) => id)
  const because = (clause: Clause | undefined): Because | null =>
    clause ? { kind: clause.kind, id: clause.id } : null
  const last = list.at(-1)
  if (last?.internet && last.effect === 'block') {
    return {
      state: list.slice(0, -1).some(({ effect }) => effect === 'allow') ? 'listed-only' : 'cut-off',
      decidedBy: because(last),
      clauses,
    }
  }
  const block = list.find(({ effect }) => effect === 'block')
  if (block) return { state: 'filtered', decidedBy: because(block), clauses }
  return { state: 'open', decidedBy: last?.internet ? because(last) : null, clauses }
}

/** Reads a destination that the test itself wrote. */
export function destination(text: string): Destination {
  const read = readDestination(text)
  if ('fault' in read) throw new Error(read.fault)
  return read
}
