import type { RouterClock } from './clock.ts'
import { localAddresses } from '../local.ts'
import { neighbourhood } from './sightings.ts'
import type { RouterSystem } from '../system.ts'

/** The surroundings of a neighbour watch. */
export interface NeighbourWatchParts {
  readonly system: RouterSystem
  readonly clock: RouterClock
  /** The interfaces of the local network. */
  readonly lans: readonly string[]
  /** Lease files of the network; one that is not there yet holds nothing. */
  readonly leases: readonly string[]
  /** Whether a MAC address belongs to a device of the policy: of others only so many are remembered. */
  readonly isKnown: (mac: string) => boolean
}

/**
 * Follows the devices of the local network and their addresses, as the kernel and lease files report them.
 */
export class NeighbourWatch {
  readonly neighbours
  readonly local

  constructor(private readonly parts: NeighbourWatchParts) {
    this.neighbours = neighbourhood(parts.lans, parts.isKnown)
    this.local = localAddresses(parts.lans)
  }

  /** Reads the addresses of this machine and its networks; returns whether those of its networks changed. */
  async readLocal(): Promise<boolean> {
    return this.local.read(await this.parts.system.run('ip', ['-j', 'addr']))
  }

  /** Reads the neighbour table; returns whether somebody came, went or has other addresses. */
  async readNeighbours(): Promise<boolean> {
    const { system, clock } = this.parts
    const listing = await system.run('ip', ['-j', 'neigh', 'show'])
    return this.neighbours.read(listing, clock.seconds())
  }

  /** Reads the lease files; returns whether they say something else now. */
  async readLeases(): Promise<boolean> {
    const { system, leases } = this.parts
    if (leases.length === 0) return false
    const texts = await Promise.all(leases.map((file) => system.read(file)))
    return this.neighbours.lease(texts.filter((text) => text !== null))
  }
}
