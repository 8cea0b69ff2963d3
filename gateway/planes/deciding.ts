import { LRUCache } from 'lru-cache'
import { HOUR } from '../../core/time/duration.ts'
import type { Candidate } from '../../core/decision/candidate.ts'
import { compiledOf, subjectOfMac } from '../../core/decision/compile.ts'
import { ANY_NEWCOMER } from '../../core/decision/subject.ts'
import { logsOf, verdictOf, type Verdict } from '../../core/decision/standing.ts'
import { timelines, type Segment } from '../../core/decision/timeline.ts'
import type { Destination } from '../../core/destination/destination.ts'
import type { Policy } from '../../core/policy/types.ts'

/** The number of addresses whose clauses are remembered. */
const MAX_KNOWN_ADDRESSES = 20_000
/** The time ahead for which the clauses of a device are worked out. */
const LOOK_AHEAD_SECONDS = HOUR

/** The verdict on a try, and the rules that only log it. */
export interface Decided {
  readonly verdict: Verdict
  readonly logs: readonly Candidate[]
}

/** The clauses of somebody within `[from, until)` (seconds). */
interface Lasting {
  readonly from: number
  readonly until: number
  readonly clauses: readonly Candidate[]
}

/**
 * Decides under one policy for whoever has a MAC address (`null` = unknown, a newcomer), in a network of the
 * place or in none, at an instant (seconds). Whose clauses are which is remembered while they last, so that a
 * decision costs a look at the destination. With an `origin` the destination is where that leads, an alias: the
 * first clause that covers either decides.
 */
export function decidingBy(
  policy: Policy,
): (
  mac: string | null,
  destination: Destination,
  at: number,
  network?: string | null,
  origin?: Destination | null,
) => Decided {
  const compiled = compiledOf(policy, true)
  const known = new LRUCache<string, Map<string | null, Lasting>>({ max: MAX_KNOWN_ADDRESSES })
  const clausesOf = (mac: string | null, at: number, network: string | null) => {
    let byNetwork = known.get(mac ?? '')
    if (!byNetwork) known.set(mac ?? '', (byNetwork = new Map()))
    const own = byNetwork.get(network)
    if (own && at >= own.from && at < own.until) return own.clauses
    const [{ clauses: ids, until }] = timelines(
      compiled,
      [mac === null ? { ...ANY_NEWCOMER, network } : subjectOfMac(compiled, mac, network)],
      at,
      at + LOOK_AHEAD_SECONDS,
    )[0]!.segments as [Segment]
    const clauses = compiled.candidates.filter(({ id }) => ids.includes(id))
    byNetwork.set(network, { from: at, until, clauses })
    return clauses
  }
  return (mac, destination, at, network = null, origin = null) => {
    const clauses = clausesOf(mac, at, network)
    if (origin === null)
      return { verdict: verdictOf(clauses, destination), logs: logsOf(clauses, destination) }
    const first = clauses.find((one) => !one.logs && (one.matches(destination) || one.matches(origin)))
    return { verdict: verdictOf(first ? [{ ...first, matches: () => true }] : [], destination), logs: [] }
  }
}
