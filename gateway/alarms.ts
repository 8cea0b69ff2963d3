import type { Compiled } from '../core/decision/compile.ts'
import type { Subject } from '../core/decision/subject.ts'
import { timelines } from '../core/decision/timeline.ts'
import { instantText } from '../core/time/instant.ts'
import type { Alarm, Evidence, Trouble } from '../protocol/gateway.ts'

/**
 * The longest time between two looks that are held against each other, and how far from a look a boundary
 * must be, in seconds.
 */
const FAR = 60
const GUARD = 2
/** How long an alarm stays after it was last seen, in seconds. */
const STAYS = 600
/**
 * How many packets of somebody who is cut off get through before it is said, and which part of all that was
 * seen: what was counted is read while packets go on, so that a few are seen and not yet dropped, or the
 * other way.
 */
const LEAK = 5
const LEAK_PART = 0.02
/**
 * How many packets somebody sends under a rule that closes everything before it is strange that the rule
 * dropped none.
 */
const CHANCES = 20
/**
 * How many packets pass of a device under rules for names before it is strange that it looks nothing up, and
 * within which time it should, in seconds.
 */
const UNASKED = 500
export const ASKED_WITHIN = 900

type Found = Exclude<Alarm, Trouble>

/** Holds what should be against what was counted, look after look. */
export interface AlarmWatch {
  /**
   * Takes in the counts at an instant (seconds), under the policy that has been in force since another, and
   * who looked up a name within the last quarter of an hour.
   */
  look(
    evidence: Evidence,
    compiled: Compiled,
    subjectOf: (mac: string) => Subject,
    inForceSince: number,
    at: number,
    asked: ReadonlySet<string>,
  ): void
  /** What is not as it should be at an instant, the newest last. */
  alarms(at: number): Found[]
}

/** A watch that has seen nothing yet. */
export function alarmWatch(): AlarmWatch {
  const found = new Map<string, Found & { readonly seen: number }>()
  let before: {
    readonly at: number
    readonly seen: ReadonlyMap<string, number>
    readonly passed: ReadonlyMap<string, number>
  } | null = null
  /**
   * What was counted of somebody when a clause was first seen to cut them off, or when it was last said that
   * some got through.
   */
  const bases = new Map<string, { readonly id: string; readonly seen: number; readonly passed: number }>()
  const chances = new Map<string, number>()
  const unasked = new Map<string, number>()
  const raise = (kind: Found['kind'], at: number, mac: string | null, because: string, about: string) => {
    const key = `${kind} ${mac} ${because}`
    found.set(key, { kind, since: found.get(key)?.since ?? instantText(at), mac, because, about, seen: at })
  }
  return {
    look: (evidence, compiled, subjectOf, inForceSince, at, asked) => {
      const now = {
        at,
        seen: new Map(evidence.devices.map(({ mac, seen }) => [mac, seen.packets])),
        passed: new Map(evidence.devices.map(({ mac, passed }) => [mac, passed.packets])),
      }
      const last = before
      before = now
      if (last === null || at <= last.at || at - last.at > FAR || inForceSince > last.at - GUARD) return
      const grown = evidence.devices
        .map(({ mac }) => ({
          mac,
          seen: now.seen.get(mac)! - (last.seen.get(mac) ?? 0),
          passed: now.passed.get(mac)! - (last.passed.get(mac) ?? 0),
        }))
        .filter(({ seen, passed }) => seen > 0 || passed > 0)
      const lines = timelines(
        compiled,
        grown.map(({ mac }) => subjectOf(mac)),
        last.at - GUARD,
        at + GUARD,
      )
      grown.forEach(({ mac, seen, passed }, index) => {
        const { segments } = lines[index]!
        if (segments.length > 1) return void bases.delete(mac)
        const [{ state, because, clauses }] = segments as [(typeof segments)[0]]
        if (state !== 'cut-off') bases.delete(mac)
        else {
          const { id } = because!
          if (bases.get(mac)?.id !== id)
            bases.set(mac, { id, seen: last.seen.get(mac) ?? 0, passed: last.passed.get(mac) ?? 0 })
          const base = bases.get(mac)!
          const through = now.passed.get(mac)! - base.passed
          if (through >= LEAK && through >= LEAK_PART * (now.seen.get(mac)! - base.seen)) {
            raise('passes', at, mac, id, String(through))
            bases.set(mac, { id, seen: now.seen.get(mac)!, passed: now.passed.get(mac)! })
          }
          chances.set(id, (chances.get(id) ?? 0) + seen)
          if (
            chances.get(id)! >= CHANCES &&
            !evidence.clauses.some((one) => one.id === id && one.dropped.packets > 0)
          )
            raise('never-dropped', at, null, id, String(chances.get(id)))
        }
        const rule = compiled.policy.rules.find(
          ({ id, what }) =>
            clauses.includes(id) &&
            what.sites.length +
              what.siteLists.length +
              what.keywords.length +
              what.apps.length +
              what.categories.length >
              0,
        )
        if (asked.has(mac) || !rule) return void unasked.delete(mac)
        unasked.set(mac, (unasked.get(mac) ?? 0) + passed)
        if (unasked.get(mac)! >= UNASKED) raise('unasked', at, mac, rule.id, String(unasked.get(mac)))
      })
    },
    alarms: (at) => {
      for (const [key, { seen }] of found) if (Math.abs(at - seen) > STAYS) found.delete(key)
      return [...found.values()].map(({ seen: _, ...alarm }) => alarm)
    },
  }
}

/** What a plane notices by itself. */
export interface TroubleLog {
  /** Notes a trouble at an instant (seconds), for so many seconds. */
  note(kind: Trouble['kind'], about: string, at: number, stays: number): void
  /** Says that it is over. */
  over(kind: Trouble['kind'], about: string): void
  all(at: number): Trouble[]
}

/** A log without troubles. */
export function troubleLog(): TroubleLog {
  const noted = new Map<string, Trouble & { readonly until: number }>()
  return {
    note: (kind, about, at, stays) => {
      const key = `${kind} ${about}`
      noted.set(key, { kind, about, since: noted.get(key)?.since ?? instantText(at), until: at + stays })
    },
    over: (kind, about) => void noted.delete(`${kind} ${about}`),
    all: (at) => {
      for (const [key, { until }] of noted) if (until < at) noted.delete(key)
      return [...noted.values()].map(({ until: _, ...trouble }) => trouble)
    },
  }
}
