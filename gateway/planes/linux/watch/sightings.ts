import equal from 'fast-deep-equal'
import { LRUCache } from 'lru-cache'
import { dnsmasqLeases, iscLeases } from '../../../../core/import/whole-network.ts'
import { collector, numbered } from '../../../../core/import/reading.ts'
import { instantText } from '../../../../core/time/instant.ts'
import type { Sighting } from '../../../../protocol/gateway/gateway.ts'
import type { Host } from '../table/table-setting.ts'

/** A line of `ip -j neigh` (ip-neighbour(8)). */
interface Neighbour {
  readonly dst: string
  readonly dev: string
  readonly lladdr?: string
  readonly state: readonly string[]
}
interface Known {
  /** The interface on which it was seen last. */
  readonly interface: string
  readonly addresses: string[]
  readonly connected: boolean
  readonly first: number
  readonly last: number
}

/** An entry of a lease file. */
interface Lease {
  readonly hostName: string | null
  readonly addresses: readonly string[]
}

/** The devices of the network, as the kernel's neighbour table reports them over time. */
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
  /** Returns the MAC address of an IP address, link-local ones too; `null` where it is unknown. */
  macOf(address: string): string | null
  /** Returns the owners of addresses now, for the table. */
  hosts(): readonly Host[]
}

/**
 * A neighbourhood on some interfaces that knows nobody yet.
 *
 * @param isKnown whether a MAC address belongs to a device of the policy: of others only the latest are remembered
 */
export function neighbourhood(
  lans: readonly string[],
  isKnown: (mac: string) => boolean = () => false,
): Neighbourhood {
  return new KnownNeighbours(lans, isKnown)
}

/**
 * The unknown devices that are remembered, their addresses in the table, and the owners
 * of those.
 */
const MOST_STRANGERS = 2000
const MOST_STRANGE_HOSTS = 2000
const MOST_OWNERS = 20_000

/**
 * The neighbours of a MAC address on an interface: its addresses, and whether it answers
 * just now.
 */
interface Listed {
  readonly interface: string
  readonly addresses: string[]
  answers: boolean
}

class KnownNeighbours implements Neighbourhood {
  readonly #known = new Map<string, Known>()
  /** The owners of IP addresses, as they were seen last. */
  readonly #owners = new LRUCache<string, string>({ max: MOST_OWNERS })
  #leases: ReadonlyMap<string, Lease> = new Map()
  #hosts: Host[] = []

  constructor(
    private readonly lans: readonly string[],
    private readonly isKnown: (mac: string) => boolean,
  ) {}

  read(text: string, at: number): boolean {
    const before = this.#picture()
    const listed = this.#takeList(JSON.parse(text || '[]') as Neighbour[])
    for (const [mac, one] of this.#known)
      if (!listed.has(mac)) this.#known.set(mac, { ...one, connected: false })
    for (const [mac, all] of listed) {
      const earlier = this.#known.get(mac)
      // One that went to another network still stands in the list of the one before, where it answers no
      // more.
      const { addresses, answers, ...where } =
        all.find((one) => one.answers) ?? all.find((one) => one.interface === earlier?.interface) ?? all[0]!
      this.#known.set(mac, {
        ...where,
        addresses: addresses.length > 0 ? addresses.sort() : (earlier?.addresses ?? []),
        connected: true,
        first: earlier?.first ?? at,
        last: answers || !earlier ? at : earlier.last,
      })
    }
    this.#forgetStrangers()
    return this.#picture() !== before
  }

  /**
   * Forgets unknown devices beyond those that are remembered: who is gone first, then who was seen longest
   * ago.
   */
  #forgetStrangers(): void {
    const strangers = [...this.#known].filter(([mac]) => !this.isKnown(mac))
    if (strangers.length <= MOST_STRANGERS) return
    strangers.sort(([, a], [, b]) => Number(b.connected) - Number(a.connected) || b.last - a.last)
    for (const [mac] of strangers.slice(MOST_STRANGERS)) this.#known.delete(mac)
  }

  lease(texts: readonly string[]): boolean {
    const sink = collector()
    for (const text of texts) {
      const format = iscLeases.matches(text) ? iscLeases : dnsmasqLeases
      format.read(
        numbered(text, () => {}),
        sink,
      )
    }
    const leases = new Map(
      sink.result().found.map(({ mac, hostName, addresses }) => [mac, { hostName, addresses }]),
    )
    const isOther = !equal([...leases], [...this.#leases])
    this.#leases = leases
    return isOther
  }

  hosts(): readonly Host[] {
    return this.#hosts
  }

  macOf(address: string): string | null {
    return this.#owners.get(address) ?? null
  }

  all(): Sighting[] {
    return [...this.#known].map(([mac, { addresses, connected, first, last, interface: name }]) => {
      const lease = this.#leases.get(mac)
      return {
        mac,
        hostName: lease?.hostName ?? null,
        addresses: [...new Set([...addresses, ...(lease?.addresses ?? [])])],
        interface: name,
        medium: null,
        connected,
        firstSeen: instantText(first),
        lastSeen: instantText(last),
      }
    })
  }

  /** Takes in the lines of the neighbour table; returns what they say, by MAC address, of each interface. */
  #takeList(lines: readonly Neighbour[]): Map<string, Listed[]> {
    this.#hosts = []
    let strange = 0
    const listed = new Map<string, Listed[]>()
    // Of two devices that claim an address, the one that answers counts.
    const inOrder = lines.toSorted((a, b) => Number(isAnswering(a)) - Number(isAnswering(b)))
    for (const line of inOrder) {
      const { dst, dev, lladdr, state } = line
      if (lladdr === undefined || state.includes('FAILED') || !this.lans.includes(dev)) continue
      const answers = isAnswering(line)
      this.#owners.set(dst, lladdr)
      if (this.isKnown(lladdr) || ++strange <= MOST_STRANGE_HOSTS)
        this.#hosts.push({ address: dst, mac: lladdr, interface: dev })
      const all = listed.get(lladdr) ?? []
      listed.set(lladdr, all)
      const one = all.find((other) => other.interface === dev) ?? { interface: dev, addresses: [], answers }
      if (!all.includes(one)) all.push(one)
      // A link-local address (RFC 4291, section 2.5.6) says nothing beyond the address that it is made of.
      if (!dst.startsWith('fe80:')) one.addresses.push(dst)
      one.answers ||= answers
    }
    return listed
  }

  /** Returns the devices with their addresses as a text. */
  #picture(): string {
    return [...this.#known]
      .map(
        ([mac, { addresses, connected, interface: name }]) =>
          `${mac} ${name} ${addresses.join()} ${connected}`,
      )
      .join('\n')
  }
}

/** The states of a neighbour that was heard of a moment ago (ip-neighbour(8)). */
const ANSWERING = ['REACHABLE', 'DELAY', 'PROBE']
const isAnswering = ({ state }: Neighbour) => state.some((word) => ANSWERING.includes(word))

/**
 * The port of a bridge behind which most unknown addresses were seen, by what `bridge -j fdb show` prints
 * (bridge(8)); `null` where there are none.
 */
export function busiestPort(listing: string, isKnown: (mac: string) => boolean): string | null {
  const ports = new Map<string, number>()
  for (const { mac, ifname, state } of JSON.parse(listing || '[]') as {
    mac: string
    ifname: string
    state?: string
  }[])
    if (state !== 'permanent' && !isKnown(mac)) ports.set(ifname, (ports.get(ifname) ?? 0) + 1)
  const [busiest] = [...ports].sort((a, b) => b[1] - a[1])
  return busiest?.[0] ?? null
}
