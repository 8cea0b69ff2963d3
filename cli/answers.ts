import { compile, everyDevice, subjectOfMac, type Compiled } from '../core/decision/compile.ts'
import type { Subject } from '../core/decision/subject.ts'
import { momentsAt, verdictAt } from '../core/decision/moment.ts'
import type { Because, State, Verdict } from '../core/decision/standing.ts'
import { timelines } from '../core/decision/timeline.ts'
import type { Destination } from '../core/destination/destination.ts'
import { macFault, readMac } from '../core/destination/mac.ts'
import type { Effect, Policy } from '../core/policy/types.ts'
import { instantText, localText } from '../core/time/instant.ts'

/**
 * What `kairostat check` prints with `--json`; instants in UTC, `verdict` only where a destination was given.
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
  readonly verdict?: { readonly effect: Effect; readonly because: Because | null }
}

/** What `kairostat timeline` prints with `--json`; segments are half-open. */
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
 * Who is asked about: ids and MAC addresses (none = every device), and the network that they are in (`null` =
 * none).
 */
export interface Asked {
  readonly names: readonly string[]
  readonly network: string | null
}

/**
 * Who is meant by ids and MAC addresses in a network. An id that is none, and no address either, is told to
 * `unknown`.
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

/** The answer of `check` for instants (seconds). */
export function check(
  policy: Policy,
  at: readonly number[],
  asked: Asked,
  to: Destination | null,
  unknown: (name: string) => void,
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
        ...(to && { verdict: printed(verdictAt(compiled, subjects[index]!, instant, to)) }),
      })),
    })),
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
