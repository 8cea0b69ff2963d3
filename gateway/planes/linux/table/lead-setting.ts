import type { Block } from '../../../../core/destination/address.ts'
import type { At } from '../../../dns/upstream-setting.ts'

/** Networks as the controller sees who asks from them, so that it can tell who that is. */
export interface ShownPrefix {
  readonly own: Block
  readonly shown: Block
}

/**
 * The way from a router that only has a shell to its controller, which answers look-ups.
 */
export interface Lead {
  /** The addresses of the controller in the local network, of one or both versions of IP. */
  readonly to: Readonly<Partial<Record<4 | 6, string>>>
  /**
   * The MAC address of the controller; `null` = not known yet, so that nothing it sends is told from what
   * others do.
   */
  readonly mac: string | null
  readonly prefixes: readonly ShownPrefix[]
  /** The fate of look-ups once the controller is silent: the router's own resolver answers, or nobody. */
  readonly alone: 'open' | 'closed'
  /** The upstreams of the controller, whatever it may do itself. */
  readonly upstreams: readonly At[]
}
