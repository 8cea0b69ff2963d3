import type { Compiled } from '../../core/decision/compile.ts'
import type { Subject } from '../../core/decision/subject.ts'
import { timelines, type Segment } from '../../core/decision/timeline.ts'
import type { Rule } from '../../core/policy/types.ts'
import { instantText } from '../../core/time/instant.ts'
import type { Alarm, Trouble } from '../../protocol/gateway/alarm.ts'
import type { Evidence } from '../../protocol/gateway/evidence.ts'

/** The longest time between two looks that are compared, and the shortest between a look and a boundary. */
const MAX_GAP_SECONDS = 60
const GUARD = 2
/** The seconds for which an alarm stays after it was last seen. */
const STAYS = 600
/**
 * The packets of a blocked device that get through before an alarm, and the part of all that was
 * seen: what was counted is read while packets go on, so that a few are seen and not yet dropped, or the
 * other way.
 */
const LEAK = 5
const LEAK_PART = 0.02
/**
 * The packets under a rule that blocks everything from which it is strange that the rule
 * dropped none.
 */
const CHANCES = 20
/**
 * The packets of a device under rules for names from which it is strange that it looks nothing up, and
 * within which time it should, in seconds.
 */
const UNASKED = 500
export const ASKED_WITHIN = 900

type Found = Exclude<Alarm, Trouble>

/** The counts of one look: packets by MAC address. */
interface Look {
  readonly at: number
  readonly seen: ReadonlyMap<string, number>
  readonly passed: ReadonlyMap<string, number>
}

/** The counts of a device between two looks. */
interface Growth {
  readonly mac: string
  readonly seen: number
  readonly passed: number
}

/** Holds what should be against what was counted, look after look. */
export class AlarmWatch {
  readonly #found = new Map<string, Found & { readonly lastSeen: number }>()
  #before: Look | null = null
  /**
   * The counts of a device when a clause was first seen to block it, or when an alarm last said that
   * some got through.
   */
  readonly #bases = new Map<string, { readonly id: string; readonly seen: number; readonly passed: number }>()
  /** The packets that were sent under a clause that blocks everything. */
  readonly #chances = new Map<string, number>()
  /** The packets of a device that passed since its last look-up. */
  readonly #unasked = new Map<string, number>()

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
  ): void {
    const now: Look = {
      at,
      seen: new Map(evidence.devices.map(({ mac, seen }) => [mac, seen.packets])),
      passed: new Map(evidence.devices.map(({ mac, passed }) => [mac, passed.packets])),
    }
    const last = this.#before
    this.#before = now
    if (last === null || at <= last.at || at - last.at > MAX_GAP_SECONDS || inForceSince > last.at - GUARD)
      return
    const grown = growth(last, now)
    const subjects = grown.map(({ mac }) => subjectOf(mac))
    const lines = timelines(compiled, subjects, last.at - GUARD, at + GUARD)
    grown.forEach((one, index) => {
      const { segments } = lines[index]!
      // A boundary is too near to say what was counted under which clauses.
      if (segments.length > 1) return void this.#bases.delete(one.mac)
      const [segment] = segments as [Segment]
      if (segment.state === 'cut-off') this.#checkBlocked(one, segment.decidedBy!.id, last, now, evidence)
      else this.#bases.delete(one.mac)
      this.#checkAsked(one, namingRule(compiled, segment), asked, at)
    })
  }

  /** Returns the alarms at an instant, the newest last. */
  alarms(at: number): Found[] {
    for (const [key, { lastSeen }] of this.#found)
      if (Math.abs(at - lastSeen) > STAYS) this.#found.delete(key)
    return [...this.#found.values()].map(({ lastSeen: _, ...alarm }) => alarm)
  }

  /** Somebody is cut off by a clause: nothing should pass, and the clause should drop what is sent. */
  #checkBlocked({ mac, seen }: Growth, id: string, last: Look, now: Look, { clauses }: Evidence): void {
    if (this.#bases.get(mac)?.id !== id) this.#bases.set(mac, { id, ...countsOf(last, mac) })
    const [base, counts] = [this.#bases.get(mac)!, countsOf(now, mac)]
    const through = counts.passed - base.passed
    if (through >= LEAK && through >= LEAK_PART * (counts.seen - base.seen)) {
      this.#raise('passes', now.at, mac, id, through)
      this.#bases.set(mac, { id, ...counts })
    }
    const chances = (this.#chances.get(id) ?? 0) + seen
    this.#chances.set(id, chances)
    const hasDropped = clauses.some((one) => one.id === id && one.dropped.packets > 0)
    if (chances >= CHANCES && !hasDropped) this.#raise('never-dropped', now.at, null, id, chances)
  }

  /** Somebody is under a rule for names: they should look some up. */
  #checkAsked({ mac, passed }: Growth, rule: Rule | undefined, asked: ReadonlySet<string>, at: number): void {
    if (asked.has(mac) || !rule) return void this.#unasked.delete(mac)
    const unasked = (this.#unasked.get(mac) ?? 0) + passed
    this.#unasked.set(mac, unasked)
    if (unasked >= UNASKED) this.#raise('unasked', at, mac, rule.id, unasked)
  }

  #raise(kind: Found['kind'], at: number, mac: string | null, because: string, packets: number): void {
    const key = `${kind} ${mac} ${because}`
    const since = this.#found.get(key)?.since ?? instantText(at)
    this.#found.set(key, { kind, since, mac, because, about: String(packets), lastSeen: at })
  }
}

const countsOf = ({ seen, passed }: Look, mac: string) => ({
  seen: seen.get(mac) ?? 0,
  passed: passed.get(mac) ?? 0,
})

/** Of whom something was counted between two looks, and how much. */
function growth(last: Look, now: Look): Growth[] {
  return [...now.seen.keys()]
    .map((mac) => {
      const [was, is] = [countsOf(last, mac), countsOf(now, mac)]
      return { mac, seen: is.seen - was.seen, passed: is.passed - was.passed }
    })
    .filter(({ seen, passed }) => seen > 0 || passed > 0)
}

/** The first rule among the clauses of a segment that goes by names. */
function namingRule({ policy }: Compiled, { clauses }: Segment): Rule | undefined {
  return policy.rules.find(({ id, what }) => {
    const { sites, siteLists, keywords, apps, categories } = what
    return (
      clauses.includes(id) && [sites, siteLists, keywords, apps, categories].some((all) => all.length > 0)
    )
  })
}
