import type { Policy } from '../core/policy/types.ts'
import type { Change, Evidence, GatewayStatus, Lookup, Refusal, Sighting } from './protocol.ts'

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
  sightings(): readonly Sighting[]
  evidence(): Promise<Evidence>
  /** The runs of look-ups that went on at or after an instant, in seconds. */
  lookups(since: number): readonly Lookup[]
  /** What of a policy this plane could not do; `null` where it can do all. */
  check(policy: Policy): Promise<Refusal>
  /** Holds the devices to the policy from now on, and begins counting anew; where it fails, what was in force still is. */
  apply(policy: Policy): Promise<void>
  /** Begins to work, telling of changes. */
  start(changed: (change: Change) => void): void
  stop(): void
}
