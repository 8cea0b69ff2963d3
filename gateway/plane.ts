import type { Policy } from '../core/policy/types.ts'
import type { LookupLog } from './lookups.ts'
import type {
  GatewayChange,
  Evidence,
  Flow,
  GatewayStatus,
  Pretence,
  Refusal,
  Sighting,
  Trouble,
} from '../protocol/gateway.ts'

/** What a plane is told beside the policy. */
export interface PlaneSetting {
  /** Whether addresses of blocked names are blocked too. */
  readonly closedAddresses: boolean
  /** The page that a blocked name leads to (`null` = none), by the MAC address of who asks and the name. */
  readonly page: ((mac: string, name: string) => string) | null
  /** Outside names that may lead to addresses of this network, with all under them. */
  readonly localNames: readonly string[]
}

/** What makes a policy true on a network: the simulated one, or the Linux kernel. */
export interface DataPlane {
  readonly kind: GatewayStatus['plane']
  readonly timeZone: string
  /** The plane's clock, in milliseconds since 1970. */
  now(): number
  /** Sets a simulated clock (`null` = back in step); absent where the clock is a real one. */
  setClock?(instant: number | null): void
  /** The made-up apps of a simulated network; absent where it is a real one. */
  readonly apps?: readonly string[]
  /** Has a device of a simulated network use an app for half a minute; answers why it cannot, or `null`. */
  useApp?(mac: string, app: string): string | null
  /**
   * Has somebody on a simulated network try a place; absent where it is a real one. Throws GatewayRefusal
   * where that is none.
   */
  send?(mac: string, to: string): Flow
  /** Makes a simulated network go wrong in one way for a minute; absent where it is a real one. */
  pretend?(trouble: Pretence): void
  /** What it noticed by itself and is not as it should be. */
  troubles(): readonly Trouble[]
  sightings(): readonly Sighting[]
  evidence(): Promise<Evidence>
  /** What was looked up. */
  readonly lookups: LookupLog
  /**
   * Takes another setting; before the first policy too. Throws where the page cannot be shown, and then
   * nothing changed.
   */
  set(setting: PlaneSetting): Promise<void>
  /** What of a policy this plane could not do; `null` where it can do all. */
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
