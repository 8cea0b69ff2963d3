import { LRUCache } from 'lru-cache'
import { hostContains } from '../../../core/destination/host.ts'
import type { Destination } from '../../../core/destination/destination.ts'
import type { Plan } from '../../../core/plan/plan.ts'
import type { Policy } from '../../../core/policy/types.ts'
import { instantText } from '../../../core/time/instant.ts'
import { decidingBy } from '../deciding.ts'
import { lookupLog, type LookupLog } from '../../state/lookups.ts'
import type { Ruling } from '../../dns/ruling.ts'
import type { Flow } from '../../../protocol/gateway/evidence.ts'
import type { ClosedLookups } from './watch/evidence.ts'
import type { NamedAddresses } from './table/table-elements.ts'
import { GenerationalCache } from './generational-cache.ts'
import { PAGE_ADDRESS } from '../../pages/device-pages.ts'
import { LIVES, namesOf } from './table/table-setting.ts'

/** The most names that are remembered with their addresses, and the most addresses of one: the latest. */
const NAMES = 20_000
const EACH = 64
/** Of how many addresses that the policy does not name it is remembered what they looked up. */
const MOST_STRANGERS = 4096

/**
 * The client: the device whose rules count (a MAC address, or `null` for every unknown device) and in which
 * network, and under which address it is told of (`null` = not known).
 */
export interface Who {
  readonly decideAs: string | null
  readonly network: string | null
  readonly tellAs: string | null
}

/** Says that nothing can be decided yet. */
export class NothingHeld extends Error {
  constructor() {
    super('no policy is held yet')
  }
}

/** Decides look-ups, and remembers the addresses of names, under one policy after the other. */
export interface Names {
  readonly log: LookupLog
  /**
   * Returns the ruling on a look-up at an instant (seconds); `page` = a blocked name leads to a page.
   * `aliasOf` = this was asked for, and leads to the name, which is only told of where it is blocked: by a
   * clause before the one that lets through what was asked for.
   *
   * @throws NothingHeld before the first policy
   */
  rule(name: string, who: Who, at: number, page: boolean, aliasOf?: string | null): Ruling
  /**
   * The name in a list by which a look-up is blocked and whose addresses are to be blocked too; `null` =
   * none: it is blocked by a word, or with all the rest.
   */
  listedName(name: string, who: Who, at: number): string | null
  /**
   * Returns how often each clause blocked or logged look-ups of an address, and the last time of each name.
   */
  readonly closed: ClosedLookups
  readonly logged: ClosedLookups
  flows(): Flow[]
  /**
   * Remembers the addresses of a name at an instant (seconds).
   *
   * @returns the clauses that go by them, and what is new to these
   */
  found(name: string, addresses: readonly string[], at: number): NamedAddresses[]
  /** Forgets the addresses of a name, which the kernel did not take. */
  forget(name: string): void
  /**
   * The addresses of the names that a clause of a plan covers, by its id, with the seconds that they have
   * left at an instant.
   */
  of(naming: readonly Naming[], at: number): NamedAddresses[]
  /** Holds to another policy, and to the clauses of its plan that go by the addresses of names. */
  hold(policy: Policy, naming: readonly Naming[]): void
}

/** The names that are told with the last time at which they were blocked or logged. */
const TOLD = 800

/** Names of which nothing is decided yet. */
export function namesKnown(): Names {
  return new DecidedNames()
}

/** The policy by which names are decided, with what was said by it. */
interface HeldNames {
  readonly policy: Policy
  readonly decide: ReturnType<typeof decidingBy>
  readonly naming: readonly Naming[]
  /** The rulings on blocked names: most are the same again and again. */
  readonly rulings: Map<string, NonNullable<Ruling>>
}

/** The addresses of a name, and until when (seconds) they count. */
interface KnownName {
  readonly addresses: readonly string[]
  readonly until: number
}

class DecidedNames implements Names {
  readonly log = lookupLog()
  /** The number of look-ups that each clause blocked or logged: by address, and by clause. */
  readonly #counters = { block: new CounterMap(), log: new CounterMap() }
  #countersMade = 0
  readonly #known = new LRUCache<string, KnownName>({ max: NAMES })
  /** The last time that each name was closed or logged, by counter and name. */
  readonly #flows = new GenerationalCache<Omit<Flow, 'at'> & { at: number }>(TOLD)
  #held: HeldNames | null = null

  hold(policy: Policy, naming: readonly Naming[]): void {
    this.#held = { policy, decide: decidingBy(policy), naming, rulings: new Map() }
    const known = new Set(policy.devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac)))
    this.#counters.block.setKnown(known)
    this.#counters.log.setKnown(known)
  }

  rule(
    name: string,
    { decideAs, network, tellAs: mac }: Who,
    at: number,
    page: boolean,
    aliasOf: string | null = null,
  ): Ruling {
    if (!this.#held) throw new NothingHeld()
    const origin = aliasOf === null ? null : destinationOf(aliasOf)
    const { verdict, logs } = this.#held.decide(decideAs, destinationOf(name), at, network, origin)
    const isBlocked = verdict.effect === 'block'
    if (mac !== null && name !== '' && (aliasOf === null || isBlocked)) {
      this.log.add(mac, name, verdict.effect, at)
      for (const { id } of logs) this.#count('log', mac, name, id, at)
      if (isBlocked) this.#count('block', mac, name, verdict.decidedBy!.id, at)
    }
    return isBlocked ? rulingOf(this.#held, verdict.decidedBy!.id, page) : null
  }

  listedName(name: string, { decideAs, network }: Who, at: number): string | null {
    const decidedBy = this.#held?.decide(decideAs, destinationOf(name), at, network).verdict.decidedBy
    return this.#held?.naming.find(({ id, blocks }) => blocks && id === decidedBy?.id)?.listed(name) ?? null
  }

  flows(): Flow[] {
    return this.#flows.values().map((one) => ({ ...one, at: instantText(one.at) }))
  }

  found(name: string, addresses: readonly string[], at: number): NamedAddresses[] {
    if (addresses.length === 0) return []
    const known = this.#known.get(name)
    // The kernel has it for a while yet, and keeps what is in use.
    const isLate = !known || known.until < at + LIVES / 2
    const fresh = isLate ? addresses : addresses.filter((address) => !known.addresses.includes(address))
    if (fresh.length === 0) return []
    const isKept = known && known.until > at
    const kept = isKept ? [...new Set([...addresses, ...known.addresses])].slice(0, EACH) : addresses
    this.#known.set(name, { addresses: kept, until: at + LIVES })
    const naming = this.#held?.naming.filter(({ matches }) => matches(name)) ?? []
    const all = new Map(fresh.map((address) => [address, LIVES]))
    return naming.map(({ id }) => ({ clause: id, addresses: all }))
  }

  forget(name: string): void {
    this.#known.delete(name)
  }

  of(all: readonly Naming[], at: number): NamedAddresses[] {
    return all.map(({ id, matches }) => {
      const left = new Map<string, number>()
      for (const [name, { addresses, until }] of this.#known) {
        if (until <= at || !matches(name)) continue
        for (const address of addresses) left.set(address, Math.max(left.get(address) ?? 0, until - at))
      }
      return { clause: id, addresses: left }
    })
  }

  get closed() {
    return this.#counters.block.totals()
  }

  get logged() {
    return this.#counters.log.totals()
  }

  #count(effect: 'block' | 'log', mac: string, name: string, because: string, at: number): void {
    const counter = this.#counter(effect, mac, because)
    counter.count++
    const key = `${counter.number} ${name}`
    const before = this.#flows.get(key)
    if (before) before.at = at
    else this.#flows.set(key, { at, mac, to: name, effect, because })
  }

  #counter(effect: 'block' | 'log', mac: string, because: string): Counter {
    const own = this.#counters[effect].of(mac)
    let counter = own.get(because)
    if (!counter) own.set(because, (counter = { number: this.#countersMade++, count: 0 }))
    return counter
  }
}

/** The number of look-ups of an address that a clause blocked or logged, and the mark of the clause. */
interface Counter {
  readonly number: number
  count: number
}
type Counters = Map<string, Counter>

/** Counters by address and clause: of the policy's addresses all, of others those that came last. */
class CounterMap {
  #known = new Map<string, Counters>()
  readonly #strangers = new LRUCache<string, Counters>({ max: MOST_STRANGERS })
  #isKnown = (_mac: string) => false

  /** Tells the addresses of the policy from others, from now on. */
  setKnown(macs: ReadonlySet<string>): void {
    const before = this.#known
    this.#known = new Map([...before].filter(([mac]) => macs.has(mac)))
    for (const [mac, own] of before) if (!macs.has(mac)) this.#strangers.set(mac, own)
    this.#isKnown = (mac) => macs.has(mac)
  }

  /** The counters of an address, made where there are none. */
  of(mac: string): Counters {
    const own = this.#known.get(mac) ?? this.#strangers.get(mac)
    if (own) return own
    const made: Counters = new Map()
    if (this.#isKnown(mac)) this.#known.set(mac, made)
    else this.#strangers.set(mac, made)
    return made
  }

  totals(): ClosedLookups {
    const counts = (own: Counters) =>
      new Map([...own].map(([id, { count }]): [string, number] => [id, count]))
    return new Map([...this.#known, ...this.#strangers.entries()].map(([mac, own]) => [mac, counts(own)]))
  }
}

/** Returns the ruling on a name that a clause blocks; with `page` it leads to the page. */
function rulingOf({ policy, rulings }: HeldNames, id: string, page: boolean): NonNullable<Ruling> {
  const known = rulings.get(id)
  if (known && (known.to !== null) === page) return known
  const ruling = { closed: `Blocked by ${nameOf(policy, id)}`, to: page ? PAGE_ADDRESS : null }
  rulings.set(id, ruling)
  return ruling
}

const destinationOf = (host: string): Destination => ({ host, address: null, protocol: null, port: null })

/** A clause that goes by the addresses of names, with the set of the table that these go into. */
export interface Naming {
  readonly id: string
  readonly blocks: boolean
  readonly matches: (name: string) => boolean
  /** The name in its lists that a name is, or lies under; `null` = none. */
  readonly listed: (name: string) => string | null
}

/**
 * The clauses of a plan that go by the addresses of names, those that close names only with
 * `closedAddresses`; with long lists it takes a while to make.
 */
export function namingIn(plan: Plan, closedAddresses: boolean): Naming[] {
  return plan.clauses.flatMap((clause, place) => {
    if (namesOf(clause, place, closedAddresses) === null) return []
    const { sets, keywords } = clause.what!
    // The name itself is blocked, not those that lie under it or have a word of it: whoever answers for
    // such names could say anything.
    const blocks = clause.effect === 'block'
    const has = (name: string) => {
      for (const set of sets) {
        const found = set.has(name)
        if (found !== null) return found
      }
      return null
    }
    const matches = (name: string) =>
      blocks ? has(name) === name : has(name) !== null || keywords.some((word) => hostContains(name, word))
    return [{ id: clause.id, blocks, listed: has, matches }]
  })
}

function nameOf(policy: Policy, id: string): string {
  return policy.rules.find((rule) => rule.id === id)?.name ?? 'somebody, for now'
}
