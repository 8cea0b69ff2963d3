import { allowancesAt, mayBeBlocked, type AllowanceLeft, type KnownUse } from '../core/allowance/outlook.ts'
import { compile, everyDevice, subjectOfMac, type Compiled } from '../core/decision/compile.ts'
import type { Subject } from '../core/decision/subject.ts'
import { momentsAt, verdictAt } from '../core/decision/moment.ts'
import type { Because, State, Verdict } from '../core/decision/standing.ts'
import { timelines } from '../core/decision/timeline.ts'
import type { Destination } from '../core/destination/destination.ts'
import { macFault, readMac } from '../core/destination/mac.ts'
import type { Effect, Policy } from '../core/policy/types.ts'
import { DAY } from '../core/time/duration.ts'
import { instantText, localText } from '../core/time/instant.ts'

/**
 * The output of `kairostat check --json`; instants in UTC, `verdict` only where a destination was given.
 */
export interface CheckAnswer {
  readonly timeZone: string
  readonly moments: readonly {
    readonly at: string
    readonly local: string
    readonly devices: readonly CheckRow[]
  }[]
}

export interface CheckRow {
  readonly device: string | null
  readonly mac: string | null
  readonly network: string | null
  readonly state: State
  readonly because: Because | null
  readonly clauses: readonly string[]
  readonly since: string | null
  readonly until: string | null
  /**
   * The rest of its allowances (`null` = not known), and the time from which it may be blocked.
   */
  readonly allowances?: readonly AllowanceRow[]
  readonly mayBeBlockedFrom?: string | null
  readonly verdict?: { readonly effect: Effect; readonly because: Because | null }
}

export interface AllowanceRow extends Pick<AllowanceLeft, 'rule' | 'measure' | 'limit' | 'left' | 'counts'> {
  readonly shared: boolean
  readonly from: string
  readonly until: string
}

/** The time ahead in which the next possible block is looked for. */
const LOOK_AHEAD_SECONDS = 8 * DAY

/** The output of `kairostat timeline --json`; segments are half-open. */
export interface TimelineAnswer {
  readonly timeZone: string
  readonly devices: readonly {
    readonly device: string | null
    readonly mac: string | null
    readonly network: string | null
    readonly segments: readonly {
      readonly from: string
      readonly until: string
      readonly state: State
      readonly because: Because | null
      readonly clauses: readonly string[]
    }[]
  }[]
}

/**
 * The devices of the question: ids and MAC addresses (none = every device), and the network that they are in
 * (`null` = none).
 */
export interface Asked {
  readonly names: readonly string[]
  readonly network: string | null
}

/**
 * Finds the devices of ids and MAC addresses in a network. An id that is none, and no address either, is told
 * to `unknown`.
 */
export function subjectsOf(
  compiled: Compiled,
  { names, network }: Asked,
  unknown: (name: string) => void,
): Subject[] {
  if (names.length === 0) return everyDevice(compiled).map((subject) => ({ ...subject, network }))
  return names.flatMap((name) => {
    if (compiled.includes.has(name) && name !== '') return [{ device: name, mac: null, network }]
    const mac = readMac(name)
    if (mac !== null && macFault(mac) === null) return [subjectOfMac(compiled, mac, network)]
    unknown(name)
    return []
  })
}

/** The answer of `check` for instants (seconds); `known` is what is known of the use of allowances. */
export function check(
  policy: Policy,
  at: readonly number[],
  asked: Asked,
  to: Destination | null,
  unknown: (name: string) => void,
  known: KnownUse | null = null,
): CheckAnswer {
  const compiled = compile(policy)
  const subjects = subjectsOf(compiled, asked, unknown)
  const text = (instant: number | null) => (instant === null ? null : instantText(instant))
  return {
    timeZone: compiled.zone,
    moments: at.map((instant) => ({
      at: instantText(instant),
      local: localText(instant, compiled.zone),
      devices: momentsAt(compiled, subjects, instant).map((row, index) => ({
        device: row.device,
        mac: row.mac,
        network: row.network,
        state: row.state,
        because: row.decidedBy,
        clauses: row.clauses,
        since: text(row.since),
        until: text(row.until),
        ...allowanceRows(policy, subjects[index]!, known, instant),
        ...(to && { verdict: printed(verdictAt(compiled, subjects[index]!, instant, to)) }),
      })),
    })),
  }
}

/** Returns the allowances of a device at an instant (seconds); nothing where there are none. */
function allowanceRows(
  policy: Policy,
  subject: Subject,
  known: KnownUse | null,
  at: number,
): Pick<CheckRow, 'allowances' | 'mayBeBlockedFrom'> {
  const all = allowancesAt(policy, subject, known, at)
  if (all.length === 0) return {}
  const from = known === null ? at : Math.min(known.at, at)
  const [ranges] = mayBeBlocked(policy, [subject], known, from, at + LOOK_AHEAD_SECONDS)
  const next = ranges!.find(({ until }) => until > at)
  return {
    allowances: all.map(({ isShared, from, until, ...row }) => ({
      ...row,
      shared: isShared,
      from: instantText(from),
      until: instantText(until),
    })),
    mayBeBlockedFrom: next ? instantText(Math.max(next.from, at)) : null,
  }
}

/** The answer of `timeline` for `[from, until)` (seconds). */
export function timeline(
  policy: Policy,
  from: number,
  until: number,
  asked: Asked,
  unknown: (name: string) => void,
): TimelineAnswer {
  const compiled = compile(policy)
  return {
    timeZone: compiled.zone,
    devices: timelines(compiled, subjectsOf(compiled, asked, unknown), from, until).map(
      ({ segments, ...subject }) => ({
        ...subject,
        segments: segments.map(({ from, until, state, decidedBy, clauses }) => ({
          from: instantText(from),
          until: instantText(until),
          state,
          because: decidedBy,
          clauses,
        })),
      }),
    ),
  }
}

/** A verdict as it is printed: the keys of the document stay as they are. */
function printed({ effect, decidedBy }: Verdict) {
  return { effect, because: decidedBy }
}
