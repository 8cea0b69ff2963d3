import type { PlaneSetting } from '../plane.ts'
import type { Asker } from '../../dns/doors.ts'
import { startResolver, type Resolver, type ResolverSetting } from '../../dns/resolver.ts'
import type { Ruling } from '../../dns/ruling.ts'
import type { RouterClock } from './watch/clock.ts'
import { listedNames } from './listed-names.ts'
import type { LocalAddresses } from './local.ts'
import { namesKnown, NothingHeld, type Who } from './names.ts'
import { ACCESS_NAME, PAGE_ADDRESS } from '../../pages/device-pages.ts'
import { pageServer, type PageServer } from '../../pages/page-server.ts'
import type { Neighbourhood } from './watch/sightings.ts'
import type { NamedAddresses } from './table/table-elements.ts'

/** The surroundings of the enforcement of names. */
export interface NameEnforcementParts extends Pick<ResolverSetting, 'upstreams' | 'upstream'> {
  readonly clock: RouterClock
  readonly local: LocalAddresses
  readonly neighbours: Pick<Neighbourhood, 'macOf'>
  /** Looks who is there now. */
  readonly lookAtNeighbours: () => Promise<void>
  /**
   * Returns the device behind the address from which this machine was asked: a look-up that is led here has
   * another source.
   */
  readonly realAddress: (from: string) => string
  /** Whether a look-up from an address comes the way that look-ups come. */
  readonly isExpected: (from: string) => boolean
  /** The port of the page that says what is blocked. */
  readonly pagePort: number
  /** Returns the current settings beside the policy. */
  readonly setting: () => PlaneSetting
  /** Whether a MAC address belongs to a device of the policy. */
  readonly isKnown: (mac: string) => boolean
  /** Puts addresses into the table; resolves when they are there. */
  readonly addFound: (found: readonly NamedAddresses[]) => Promise<void>
  /** Told of what could not be done while nobody asked. */
  readonly fault: (error: unknown, doing: string) => void
}

/** The gateway's own name, under which every device finds its access. */
const OWN: Ruling = { closed: null, to: PAGE_ADDRESS }

/** Answers look-ups by the policy, and shows whoever asks for a blocked name why it is. */
export class NameEnforcement {
  readonly names = namesKnown()
  readonly resolver: Resolver
  readonly page: PageServer
  readonly #wantListed: (name: string, client: string) => void

  constructor(private readonly parts: NameEnforcementParts) {
    const { upstreams, upstream, pagePort, local, fault } = parts
    this.resolver = startResolver({
      upstreams,
      upstream,
      rule: (name, asker, from, aliasOf) => this.#rule(name, asker, parts.realAddress(from), aliasOf),
      isExpected: (from) => parts.isExpected(from),
      clientOf: ({ mac }, from) => mac ?? parts.neighbours.macOf(parts.realAddress(from)) ?? from,
      isRefused: (name, addresses) => local.isRefused(name, addresses, parts.setting().localNames),
      resolved: (name, addresses) => this.#resolved(name, addresses),
      fault: (error) => error instanceof NothingHeld || fault(error, 'answering look-ups'),
    })
    this.#wantListed = listedNames(
      async (name) => {
        await this.#resolved(name, await this.resolver.addressesOf(name))
      },
      (error) => fault(error, 'looking up the addresses of blocked names'),
    )
    this.page = pageServer({
      port: pagePort,
      address: '::',
      clientOf: async (from, name) => ({ mac: await this.#macOf(parts.realAddress(from)), name }),
      pages: () => parts.setting().pages,
      fault: (error) => fault(error, 'showing what is blocked'),
    })
  }

  /** Ends it; the page's port is closed a moment later. */
  stop(): void {
    this.resolver.stop()
    void this.page.show(false)
  }

  #rule(name: string, asker: Asker, from: string, aliasOf: string | null): Ruling {
    const { clock, setting } = this.parts
    const { pages, closedAddresses } = setting()
    if (pages !== null && name === ACCESS_NAME) return OWN
    const who = this.#whoIs(asker, from)
    const ruling = this.names.rule(name, who, clock.seconds(), pages !== null, aliasOf)
    const listed = ruling && closedAddresses ? this.names.listedName(name, who, clock.seconds()) : null
    if (listed !== null) this.#wantListed(listed, asker.mac ?? from)
    return ruling
  }

  /**
   * Returns the client: the port on which the packet came tells a MAC address of the policy; what an unknown
   * device is called, its IP address does.
   */
  #whoIs({ mac: decideAs, network }: Asker, from: string): Who {
    if (decideAs !== null) return { decideAs, network, tellAs: decideAs }
    const mac = this.parts.neighbours.macOf(from)
    return { decideAs, network, tellAs: mac !== null && this.parts.isKnown(mac) ? null : mac }
  }

  /** Returns the owner of an address; a device that joined a moment ago may not have been seen yet. */
  async #macOf(address: string): Promise<string | null> {
    const { neighbours, lookAtNeighbours } = this.parts
    const mac = neighbours.macOf(address)
    if (mac !== null) return mac
    await lookAtNeighbours()
    return neighbours.macOf(address)
  }

  #resolved(name: string, addresses: readonly string[]): Promise<void> | void {
    const fresh = this.names.found(name, addresses, this.parts.clock.seconds())
    if (fresh.length === 0) return
    return this.parts.addFound(fresh).catch((error: unknown) => {
      // The kernel does not know them: the next look-up puts them there.
      this.names.forget(name)
      throw error
    })
  }
}
