import { instantText } from '../../../../core/time/instant.ts'
import { macOfKey, type Plan } from '../../../../core/plan/plan.ts'
import { NOTHING, plus, type Count, type Evidence, type Flow } from '../../../../protocol/gateway/evidence.ts'
import { readListing, type Element } from './listing.ts'
import { REMEMBERED, namesSetOf } from '../table/table-setting.ts'
import { EARLIER, type CounterLedger } from './tally.ts'

/** The number of the latest flows that are told. */
const MAX_RECENT_FLOWS = 400

/** The findings of a reading of our table, beside counts. */
export interface Found {
  /** Tries that the kernel remembers. */
  readonly flows: readonly Flow[]
  /** The addresses of the names of each clause, with the seconds that the kernel keeps them yet. */
  readonly named: ReadonlyMap<string, ReadonlyMap<string, number>>
  /** The number of unknown addresses that the kernel tells apart now. */
  readonly strangers: number
}

/** The inputs of a reading. */
export interface ReadingParts {
  readonly plan: Plan
  /** The numbers of the senders. */
  readonly numbers: ReadonlyMap<string, number>
  readonly ledger: CounterLedger
  /** Returns the MAC address that has an IP address of the local network; `null` = not known. */
  readonly macOf: (address: string) => string | null
  /** The time of the reading (seconds). */
  readonly at: number
}

/**
 * Reads our table, as `nft -j list table` prints it: its counters into the ledger, and what else is in it. Of
 * connections that bear no mark of the policy, what came in and what of it was refused is told by the IP
 * address that it went to.
 */
export async function readTable(text: string, parts: ReadingParts): Promise<Found> {
  const { plan, ledger, at } = parts
  const owners = new Map([...parts.numbers].map(([key, number]) => [number, macOfKey(key)]))
  const clauses = plan.clauses.map(({ id }) => id)
  const flows: Flow[] = []
  const named = new Map<string, Map<string, number>>()
  let strangers = 0
  const markOwner = (mark: unknown) => owners.get(Number(mark) >>> 16) ?? null
  for await (const one of readListing(text)) {
    if (one.kind === 'counter') {
      const id = clauses[Number(one.name.slice('allowed_'.length))]!
      ledger.read(one.name, one.count, (growth) => ledger.addAllowed(id, growth))
      continue
    }
    const { name, elements } = one
    const count = (into: (element: Element, growth: Count) => void) => {
      for (const element of elements)
        ledger.read(`${name} ${textOf(element)}`, element.counter ?? NOTHING, (growth) =>
          into(element, growth),
        )
    }
    const byMark = (what: 'received' | 'refused') =>
      count((element, growth) => {
        const mac = markOwner(element.val)
        if (mac === null) return
        ledger.add(mac, what, growth)
        if (what === 'received') ledger.add(mac, 'seen', growth)
      })
    const byAddress = (what: 'received' | 'refused') =>
      count((element, growth) => {
        const mac = parts.macOf(String(element.val))
        if (mac === null) return
        ledger.add(mac, what, growth)
        if (what === 'received') ledger.add(mac, 'seen', growth)
      })
    const clauseSet = namesSetOf(name)
    if (clauseSet !== null) {
      const id = clauses[clauseSet]!
      const known = named.get(id) ?? new Map<string, number>()
      for (const { val, expires } of elements) if (expires !== undefined) known.set(String(val), expires)
      named.set(id, known)
    } else if (name.startsWith('adapters') || name === 'unknown') {
      if (name === 'unknown') strangers += elements.length
      count((element, growth) => ledger.add(String(element.val), 'seen', growth))
    } else if (name === 'marks') byMark('received')
    else if (name === 'refused') byMark('refused')
    else if (/^got_v[46]$/.test(name)) byAddress('received')
    else if (/^kept_v[46]$/.test(name)) byAddress('refused')
    else if (/^(drops|stray_drops)$/.test(name))
      count((element, growth) => {
        const [mac, place] = partsOf(element)
        const { id, effect } = plan.clauses[Number(place)]!
        ledger.addClause(String(mac), effect === 'log' ? 'logged' : 'dropped', id, growth)
      })
    else if (/^(stray_)?(passed|tries)v[46]$/.test(name))
      for (const element of elements) {
        const place = partsOf(element)[4]
        const clause = place === undefined ? null : plan.clauses[Number(place)]!
        flows.push(flowOf(partsOf(element), clause, at - (REMEMBERED - (element.expires ?? REMEMBERED))))
      }
  }
  ledger.endReading()
  return { flows, named, strangers }
}

const partsOf = ({ val }: Element) => (typeof val === 'object' ? val.concat : [val])
const textOf = (element: Element) => partsOf(element).join(' ')

function flowOf(
  [mac, address, protocol, port]: readonly (string | number)[],
  clause: Plan['clauses'][number] | null,
  at: number,
): Flow {
  const host = String(address).includes(':') ? `[${address}]` : String(address)
  return {
    at: instantText(Math.floor(at)),
    mac: String(mac),
    to: `${protocol}://${host}:${port}`,
    effect: clause?.effect ?? 'allow',
    because: clause?.id ?? null,
  }
}

/** The number of look-ups of an address that were blocked or logged, by clause. */
export type ClosedLookups = ReadonlyMap<string, ReadonlyMap<string, number>>

/**
 * Returns the counts by now, and the latest flows, newest first. A closed look-up counts as seen and dropped, a
 * logged one as logged; bytes of look-ups are not counted.
 */
export function evidenceOf(
  ledger: CounterLedger,
  closed: ClosedLookups,
  logged: ClosedLookups,
  flows: readonly Flow[],
  since: string | null,
): Evidence {
  const recent = flows.toSorted((a, b) => {
    if (a.at < b.at) return 1
    if (a.at > b.at) return -1
    return 0
  })
  const [lastOfMac, lastOfClause] = [new Map<string, Flow>(), new Map<string, Flow>()]
  for (const flow of recent) {
    if (flow.effect !== 'block') continue
    if (!lastOfMac.has(flow.mac)) lastOfMac.set(flow.mac, flow)
    if (!lastOfClause.has(flow.because!)) lastOfClause.set(flow.because!, flow)
  }
  const clauses = new Map<string, { dropped: Count; logged: Count }>()
  const addTo = (id: string, what: 'dropped' | 'logged', count: Count) => {
    const sums = clauses.get(id) ?? { dropped: NOTHING, logged: NOTHING }
    sums[what] = plus(sums[what], count)
    clauses.set(id, sums)
  }
  const lookups = (of: ClosedLookups, mac: string) =>
    [...(of.get(mac) ?? [])].map(([id, packets]): [string, Count] => [id, { packets, bytes: 0 }])
  const told = new Set<string>()
  const deviceOf = (mac: string, tally: Tallied) => {
    told.add(mac)
    const names = lookups(closed, mac)
    let dropped = tally.refused
    for (const [id, count] of [...tally.dropped, ...names]) {
      dropped = plus(dropped, count)
      addTo(id, 'dropped', count)
    }
    for (const [id, count] of [...tally.logged, ...lookups(logged, mac)]) addTo(id, 'logged', count)
    const seen = names.reduce((sum, [, count]) => plus(sum, count), tally.seen)
    return {
      mac,
      seen,
      passed: plus(seen, dropped, -1),
      received: plus(tally.received, tally.refused, -1),
      dropped,
      lastDrop: lastOfMac.get(mac) ?? null,
    }
  }
  const devices = [...ledger.tallies()].map(([mac, tally]) => deviceOf(mac, tally))
  for (const mac of new Set([...closed.keys(), ...logged.keys()]))
    if (!told.has(mac)) devices.push(deviceOf(mac, NONE))
  return {
    since,
    devices: devices.filter(({ seen }) => seen.packets > 0),
    clauses: [...new Set([...clauses.keys(), ...ledger.allowed.keys()])]
      .filter((id) => id !== EARLIER)
      .map((id) => ({
        id,
        passed: ledger.allowed.get(id) ?? NOTHING,
        ...(clauses.get(id) ?? { dropped: NOTHING, logged: NOTHING }),
        lastDrop: lastOfClause.get(id) ?? null,
      })),
    recent: recent.slice(0, MAX_RECENT_FLOWS),
  }
}

type Tallied = Readonly<Record<'seen' | 'received' | 'refused', Count>> &
  Readonly<Record<'dropped' | 'logged', ReadonlyMap<string, Count>>>
const NONE: Tallied = {
  seen: NOTHING,
  received: NOTHING,
  refused: NOTHING,
  dropped: new Map(),
  logged: new Map(),
}
