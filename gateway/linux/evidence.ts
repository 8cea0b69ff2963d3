import { instantText } from '../../core/time/instant.ts'
import { macOfKey, type Plan } from '../../core/plan/plan.ts'
import { NOTHING, plus, type Count, type Evidence, type Flow } from '../../protocol/evidence.ts'
import { REMEMBERED } from './table-setting.ts'

/** How many of the latest flows are told. */
const RECENT = 400

type Value = string | number
interface Element {
  readonly elem: {
    readonly val: Value | { readonly concat: readonly Value[] }
    readonly expires?: number
    readonly counter?: Count
  }
}
/** What `nft -j list table` prints of a table, as far as it is read here (libnftables-json(5)). */
interface Listing {
  readonly nftables: readonly {
    readonly set?: { readonly name: string; readonly elem?: readonly Element[] }
    readonly map?: { readonly name: string; readonly elem?: readonly (readonly [Element, unknown])[] }
    readonly counter?: Count & { readonly name: string }
    readonly flowtable?: { readonly family: string; readonly table: string; readonly name: string }
  }[]
}

/**
 * What was counted: by address what was `seen` of its connections, what of that came from outside (`received`)
 * and what of this was `refused`; by address and clause what was `dropped` of what it sent, and what was only `logged`; by clause
 * what it `allowed`. Clauses are named by id.
 */
export interface Counts {
  readonly seen: ReadonlyMap<string, Count>
  readonly received: ReadonlyMap<string, Count>
  readonly refused: ReadonlyMap<string, Count>
  readonly dropped: ReadonlyMap<string, Count>
  readonly logged: ReadonlyMap<string, Count>
  readonly allowed: ReadonlyMap<string, Count>
}
/** Nothing counted yet. */
export const NO_COUNTS: Counts = {
  seen: new Map(),
  received: new Map(),
  refused: new Map(),
  dropped: new Map(),
  logged: new Map(),
  allowed: new Map(),
}

/** The maps and sets of the table whose elements count. */
const COUNTING = /^(adapters(_\d+)?|marks|unknown|refused|drops|(passed|tries)v[46])$/

/**
 * Reads our table's counters and what the kernel remembers of who tried what, as of an instant (seconds);
 * `numbers` are those of the senders.
 */
export function readTable(
  text: string,
  plan: Plan,
  numbers: ReadonlyMap<string, number>,
  at: number,
): { readonly counts: Counts; readonly flows: Flow[] } {
  const counts = {
    seen: new Map<string, Count>(),
    received: new Map<string, Count>(),
    refused: new Map<string, Count>(),
    dropped: new Map<string, Count>(),
    logged: new Map<string, Count>(),
    allowed: new Map<string, Count>(),
  }
  const flows: Flow[] = []
  const owners = new Map([...numbers].map(([key, number]) => [number, macOfKey(key)]))
  const clause = (place: Value) => plan.clauses[Number(place)]!
  const add = (all: Map<string, Count>, key: string, count: Count) =>
    all.set(key, plus(all.get(key) ?? NOTHING, count))
  const addMarked = (all: Map<string, Count>, mark: Element['elem']['val'], count: Count) => {
    const mac = owners.get(Number(mark) >>> 16)
    if (mac) add(all, mac, count)
  }
  for (const { set, map, counter } of (JSON.parse(text) as Listing).nftables) {
    if (counter)
      counts.allowed.set(clause(counter.name.slice('allowed_'.length)).id, {
        packets: counter.packets,
        bytes: counter.bytes,
      })
    // Of other maps and sets, what is in them is no count.
    for (const [
      {
        elem: { val, counter },
      },
    ] of map && COUNTING.test(map.name) ? (map.elem ?? []) : []) {
      if (map!.name.startsWith('adapters')) add(counts.seen, String(val), counter!)
      else {
        addMarked(counts.seen, val, counter!)
        addMarked(counts.received, val, counter!)
      }
    }
    for (const { elem } of set && COUNTING.test(set.name) ? (set.elem ?? []) : []) {
      const { val, counter = NOTHING } = elem
      if (set!.name === 'unknown') add(counts.seen, String(val), counter)
      if (set!.name === 'refused') addMarked(counts.refused, val, counter)
      if (typeof val !== 'object') continue
      if (set!.name === 'drops')
        counts[clause(val.concat[1]!).effect === 'log' ? 'logged' : 'dropped'].set(
          `${val.concat[0]} ${clause(val.concat[1]!).id}`,
          counter,
        )
      else if (/^(passed|tries)v[46]$/.test(set!.name))
        flows.push(
          flowOf(
            val.concat,
            val.concat[4] === undefined ? null : clause(val.concat[4]),
            at - (REMEMBERED - (elem.expires ?? REMEMBERED)),
          ),
        )
    }
  }
  return { counts, flows }
}

/**
 * The flow tables that `nft -j list flowtables` prints, each by family, table and name: what they forward is
 * asked no rule of the forward chain.
 */
export function flowTables(text: string): string[] {
  return (JSON.parse(text) as Listing).nftables.flatMap(({ flowtable }) =>
    flowtable ? [`${flowtable.family} ${flowtable.table} ${flowtable.name}`] : [],
  )
}

function flowOf(
  [mac, address, protocol, port]: readonly Value[],
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

/** Two countings as one. */
export function together(a: Counts, b: Counts): Counts {
  const sum = (one: ReadonlyMap<string, Count>, other: ReadonlyMap<string, Count>) =>
    new Map([
      ...one,
      ...[...other].map(([key, count]): [string, Count] => [key, plus(one.get(key) ?? NOTHING, count)]),
    ])
  return {
    seen: sum(a.seen, b.seen),
    received: sum(a.received, b.received),
    refused: sum(a.refused, b.refused),
    dropped: sum(a.dropped, b.dropped),
    logged: sum(a.logged, b.logged),
    allowed: sum(a.allowed, b.allowed),
  }
}

/**
 * What look-ups add: each that is closed is seen and dropped, each that is logged counted, by address and
 * clause; bytes are not counted.
 */
export function withLookups(
  counts: Counts,
  closed: ReadonlyMap<string, number>,
  logged: ReadonlyMap<string, number>,
): Counts {
  const of = (all: ReadonlyMap<string, number>, part: (key: string) => string) => {
    const sum = new Map<string, Count>()
    for (const [key, packets] of all)
      sum.set(part(key), plus(sum.get(part(key)) ?? NOTHING, { packets, bytes: 0 }))
    return sum
  }
  return together(counts, {
    ...NO_COUNTS,
    seen: of(closed, (key) => key.slice(0, 17)),
    dropped: of(closed, (key) => key),
    logged: of(logged, (key) => key),
  })
}

/** What was counted by now, and the latest flows, newest first. Of newcomers only what they send is seen. */
export function evidenceOf(
  { seen, received, refused, dropped, logged, allowed }: Counts,
  flows: readonly Flow[],
  since: string | null,
): Evidence {
  const recent = flows.toSorted((a, b) => {
    if (a.at < b.at) return 1
    if (a.at > b.at) return -1
    return 0
  })
  const parts = (counts: ReadonlyMap<string, Count>) =>
    [...counts].map(([key, count]) => ({ mac: key.slice(0, 17), id: key.slice(18), count }))
  const [drops, logs] = [parts(dropped), parts(logged)]
  const total = (all: typeof drops, fits: (part: (typeof drops)[number]) => boolean) =>
    all.filter(fits).reduce((sum, { count }) => plus(sum, count), NOTHING)
  const last = (fits: (flow: Flow) => boolean) =>
    recent.find((flow) => flow.effect === 'block' && fits(flow)) ?? null
  return {
    since,
    devices: [...seen]
      .filter(([, { packets }]) => packets > 0)
      .map(([mac, all]) => {
        const kept = refused.get(mac) ?? NOTHING
        const down = plus(
          total(drops, (one) => one.mac === mac),
          kept,
        )
        return {
          mac,
          seen: all,
          passed: plus(all, down, -1),
          received: plus(received.get(mac) ?? NOTHING, kept, -1),
          dropped: down,
          lastDrop: last((flow) => flow.mac === mac),
        }
      }),
    clauses: [...new Set([...[...drops, ...logs].map(({ id }) => id), ...allowed.keys()])].map((id) => ({
      id,
      passed: allowed.get(id) ?? NOTHING,
      dropped: total(drops, (one) => one.id === id),
      logged: total(logs, (one) => one.id === id),
      lastDrop: last((flow) => flow.because === id),
    })),
    recent: recent.slice(0, RECENT),
  }
}
