import type { Policy } from '../../core/policy/types.ts'
import type { LookupLog } from '../state/lookups.ts'
import type { DevicePages } from '../pages/device-pages.ts'
import type {
  GatewayChange,
  GatewayStatus,
  LanInterface,
  Refusal,
  Sighting,
} from '../../protocol/gateway/gateway.ts'
import type { Trouble } from '../../protocol/gateway/alarm.ts'
import type { Evidence } from '../../protocol/gateway/evidence.ts'

/** The setting of a plane beside the policy. */
export interface PlaneSetting {
  /** Whether addresses of blocked names are blocked too. */
  readonly closedAddresses: boolean
  /** The pages to which blocked names lead; `null` = they lead nowhere. */
  readonly pages: DevicePages | null
  /** Outside names that may lead to addresses of this network, with all under them. */
  readonly localNames: readonly string[]
}

/** Holds the devices of a network to a policy: in a simulated network, or by the Linux kernel. */
export interface DataPlane {
  readonly kind: GatewayStatus['plane']
  readonly timeZone: string
  /** The milliseconds between two looks at it. */
  readonly lookEveryMs: number
  /** The plane's clock, in milliseconds since 1970. */
  now(): number
  /** Returns the troubles that it noticed by itself. */
  troubles(): readonly Trouble[]
  sightings(): readonly Sighting[]
  /** The interfaces of the local network. */
  interfaces(): readonly LanInterface[]
  evidence(): Promise<Evidence>
  /** The log of look-ups. */
  readonly lookups: LookupLog
  /**
   * Takes another setting; before the first policy too.
   *
   * @throws Error where the page cannot be shown, and then nothing changed
   */
  set(setting: PlaneSetting): Promise<void>
  /**
   * Treats all devices that the policy does not name as if they had used up their allowances, or no longer.
   */
  limitStrangers(areSpent: boolean): Promise<void>
  /** Returns the parts of a policy that this plane cannot enforce; `null` where it can enforce all. */
  check(policy: Policy): Promise<Refusal>
  /**
   * Holds the devices to the policy from now on, or says what of it this plane cannot do; then, and where it
   * fails, what was in force still is.
   */
  apply(policy: Policy): Promise<Refusal>
  /** Begins to work, telling of changes. */
  start(changed: (change: GatewayChange) => void): void
  stop(): void
}
