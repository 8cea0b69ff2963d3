import type { Alarm } from './alarm.ts'
import type { Flow } from './evidence.ts'

/**
 * The ways in which a simulated network can be made to go wrong: a trouble, or a blocked device that gets
 * through.
 */
export const PRETENCES = [
  'passes',
  'clock-set',
  'put-back',
  'passed-by',
  'upstream',
] as const satisfies readonly Alarm['kind'][]
export type Pretence = (typeof PRETENCES)[number]

/** The calls that only a simulated network takes. Every call may fail where the gateway is away. */
export interface Simulation {
  /**
   * Sets the clock of the network.
   *
   * @param instant ISO 8601 in UTC; `null` = it is the machine's again
   */
  setClock(instant: string | null): Promise<void>
  /**
   * Has a device send once.
   *
   * @param to a destination as `readDestination` in core/ reads it
   * @returns what became of it
   * @throws GatewayRefusal where that is no destination
   */
  send(mac: string, to: string): Promise<Flow>
  /** Makes the network go wrong in one way for a minute. */
  pretend(trouble: Pretence): Promise<void>
  /**
   * Has a device use one of the made-up apps for half a minute.
   *
   * @throws GatewayRefusal where there is no such app, or the device is not connected
   */
  useApp(mac: string, app: string): Promise<void>
}

/** The refusal of a real network that is asked for a call of a simulated one. */
export const REAL_NETWORK =
  'Only a simulated network can be told what its clock reads and what its devices do; this one is real.'
