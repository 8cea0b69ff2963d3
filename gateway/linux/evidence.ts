import { instantText } from '../../core/time/instant.ts'
import type { Plan } from '../../core/plan/plan.ts'
import type { Evidence, Flow } from '../protocol.ts'
import { REMEMBERED } from './table.ts'

/** How many of the latest flows are told. */
const RECENT = 400

interface Counter { readonly packets: number, readonly bytes: number }
type Expr = { readonly counter?: Counter } & Record<string, unknown>
/** What `nft -j list table` prints of a table, as far as it is read here (libnftables-json(5)). */
interface Listing { readonly nftables: readonly { readonly set?: { readonly name: string, readonly elem?: readonly { readonly elem: SetElement }[] }, readonly rule?: { readonly chain: string, readonly expr: readonly Expr[] } }[] }
interface SetElement { readonly val: string | { readonly concat: readonly (string | number)[] }, readonly expires?: number, readonly counter?: Counter }

/** Packets that an address sent, by the number of its chain; and those dropped, by address. */
export interface Counts { readonly sent: ReadonlyMap<number, number>, readonly dropped: ReadonlyMap<string, number> }

/** Reads our table's counters and what the kernel remembers of who tried what, as of an instant (seconds). */
export function readTable(text: string, plan: Plan, at: number): { readonly counts: Counts, readonly flows: Flow[] } {
  const sent = new Map<number, number>()
  const dropped = new Map<string, number>()
  const flows: Flow[] = []
  for (const { set, rule } of (JSON.parse(text) as Listing).nftables) {
    if (rule && /^d\d+$/.test(rule.chain)) {
      const counter = rule.expr.find(one => one.counter)?.counter
      if (counter) sent.set(Number(rule.chain.slice(1)), counter.packets)
    }
    const drops = /^drops\d+$/.test(set?.name ?? '')
    const tries = /^(?:tries(\d+)|passed)v[46]$/.exec(set?.name ?? '')
    for (const { elem } of set?.elem ?? []) {
      if (drops) dropped.set(String(elem.val), (dropped.get(String(elem.val)) ?? 0) + elem.counter!.packets)
      if (tries && typeof elem.val === 'object') flows.push(flowOf(elem.val.concat, tries[1] === undefined ? null : plan.clauses[Number(tries[1])]!.id, at - (REMEMBERED - (elem.expires ?? REMEMBERED))))
    }
  }
  return { counts: { sent, dropped }, flows }
}

function flowOf([mac, address, protocol, port]: readonly (string | number)[], because: string | null, at: number): Flow {
  const host = String(address).includes(':') ? `[${address}]` : String(address)
  return { at: instantText(Math.floor(at)), mac: String(mac), to: `${protocol}://${host}:${port}`, effect: because === null ? 'allow' : 'block', because }
}

/** What was counted by now: of every address that a device has what it sent and what of that was dropped, and the latest flows, newest first. */
export function evidenceOf({ sent, dropped }: Counts, flows: readonly Flow[], numbers: ReadonlyMap<string, number>, since: string): Evidence {
  const recent = flows.toSorted((a, b) => a.at < b.at ? 1 : a.at > b.at ? -1 : 0)
  const macs = new Set([...[...numbers].flatMap(([mac, number]) => sent.get(number) ? [mac] : []), ...dropped.keys()])
  return {
    since,
    devices: [...macs].map((mac) => {
      const down = dropped.get(mac) ?? 0
      return { mac, dropped: down, passed: Math.max(0, (sent.get(numbers.get(mac) ?? -1) ?? 0) - down), lastDrop: recent.find(flow => flow.mac === mac && flow.effect === 'block') ?? null }
    }),
    recent: recent.slice(0, RECENT),
  }
}
