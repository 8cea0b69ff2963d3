import { dnsmasqLeases, iscLeases } from '../../core/import/whole-network.ts'
import { collector, numbered } from '../../core/import/reading.ts'
import { instantText } from '../../core/time/instant.ts'
import type { Sighting } from '../../protocol/gateway.ts'
import type { Host } from './table-setting.ts'

/** A line of `ip -j neigh` (ip-neighbour(8)). */
interface Neighbour {
  readonly dst: string
  readonly lladdr?: string
  readonly state: readonly string[]
}
interface Known {
  readonly addresses: string[]
  readonly connected: boolean
  readonly first: number
  readonly last: number
}

/** Who is there, as the kernel's neighbour table tells it over time. */
export interface Neighbourhood {
  /**
   * Takes in what `ip -j neigh` prints at an instant (seconds).
   *
   * @returns whether somebody came, went or has other addresses
   */
  read(text: string, at: number): boolean
  /**
   * Takes in what lease files hold now, of dnsmasq or ISC dhcpd: the names that machines gave themselves, and
   * addresses that are known by them alone.
   *
   * @returns whether something changed
   */
  lease(texts: readonly string[]): boolean
  all(): Sighting[]
  /** Whose an IP address is, link-local ones too; `null` where nobody is known to have it. */
  macOf(address: string): string | null
  /** Who has which address now, for the table. */
  hosts(): readonly Host[]
}

/** A neighbourhood on an interface that knows nobody yet. */
export function neighbourhood(lan: string): Neighbourhood {
  const known = new Map<string, Known>()
  const owners = new Map<string, string>()
  let leases = new Map<string, { readonly hostName: string | null; readonly addresses: readonly string[] }>()
  let hosts: Host[] = []
  let picture = ''
  return {
    read: (text, at) => {
      const before = picture
      hosts = []
      const seen = new Map<string, { addresses: string[]; answers: boolean }>()
      for (const { dst, lladdr, state } of JSON.parse(text || '[]') as Neighbour[]) {
        if (lladdr === undefined || state.includes('FAILED')) continue
        owners.set(dst, lladdr)
        hosts.push({ address: dst, mac: lladdr })
        const one = seen.get(lladdr) ?? seen.set(lladdr, { addresses: [], answers: false }).get(lladdr)!
        // A link-local address (RFC 4291, section 2.5.6) says nothing beyond the address that it is made of.
        if (!dst.startsWith('fe80:')) one.addresses.push(dst)
        one.answers ||= state.some((word) => word === 'REACHABLE' || word === 'DELAY' || word === 'PROBE')
      }
      for (const [mac, one] of known) if (!seen.has(mac)) known.set(mac, { ...one, connected: false })
      for (const [mac, { addresses, answers }] of seen) {
        const before = known.get(mac)
        known.set(mac, {
          addresses: addresses.length > 0 ? addresses.sort() : (before?.addresses ?? []),
          connected: true,
          first: before?.first ?? at,
          last: answers || !before ? at : before.last,
        })
      }
      picture = [...known]
        .map(([mac, { addresses, connected }]) => `${mac} ${addresses.join()} ${connected}`)
        .join('\n')
      return picture !== before
    },
    lease: (texts) => {
      const sink = collector()
      for (const text of texts)
        (iscLeases.matches(text) ? iscLeases : dnsmasqLeases).read(
          numbered(text, () => {}),
          sink,
        )
      const before = JSON.stringify([...leases])
      leases = new Map(
        sink.result().found.map(({ mac, hostName, addresses }) => [mac, { hostName, addresses }]),
      )
      return JSON.stringify([...leases]) !== before
    },
    hosts: () => hosts,
    macOf: (address) => owners.get(address) ?? null,
    all: () =>
      [...known].map(([mac, { addresses, connected, first, last }]) => ({
        mac,
        hostName: leases.get(mac)?.hostName ?? null,
        addresses: [...new Set([...addresses, ...(leases.get(mac)?.addresses ?? [])])],
        interface: lan,
        medium: null,
        connected,
        firstSeen: instantText(first),
        lastSeen: instantText(last),
      })),
  }
}
