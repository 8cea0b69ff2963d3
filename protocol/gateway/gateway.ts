import type { State } from '../../core/decision/standing.ts'
import type { Fault } from '../../core/policy/shape.ts'
import type { Effect, Medium } from '../../core/policy/types.ts'
import type { Settings } from './settings.ts'
import type { Simulation } from './simulation.ts'
import type { Evidence } from './evidence.ts'
import type { Alarm } from './alarm.ts'
import type { AccessRequest } from '../request.ts'
import type { AllowanceNews } from './allowance.ts'
import type { UsageNews } from './usage.ts'

/** The status of a gateway. Instants are in UTC; `clock` is the time of its clock while it answers. */
export interface GatewayStatus {
  readonly plane: 'simulated' | 'linux'
  readonly clock: string
  readonly timeZone: string
  /**
   * Its time-zone data for that zone from the start of its clock's year on, as `offsetsFrom` in
   * core/time writes it.
   */
  readonly offsets: readonly string[]
  /**
   * Made-up apps that a device of a simulated network can be made to use; empty where the network is real.
   */
  readonly apps: readonly string[]
  /**
   * The digest of the policy that it holds its devices to, and since when by its clock; `null` before the
   * first.
   */
  readonly digest: string | null
  readonly inForceSince: string | null
  /** The alarms that it raised by its own counts and observations. */
  readonly alarms: readonly Alarm[]
  readonly settings: Settings
  /** The interfaces of the local network, to which it holds the devices behind them. */
  readonly interfaces: readonly LanInterface[]
}

/** An interface of the gateway towards the local network, with its addresses and how long their prefix is. */
export interface LanInterface {
  readonly name: string
  /** Such as `192.0.2.1/25`. */
  readonly addresses: readonly string[]
}

/** A trace of a MAC address on the network, by lease and neighbour table. */
export interface Sighting {
  readonly mac: string
  readonly hostName: string | null
  readonly addresses: readonly string[]
  /** The gateway's interface on which it was seen last; `null` where that is not known. */
  readonly interface: string | null
  readonly medium: Medium | null
  readonly connected: boolean
  readonly firstSeen: string
  readonly lastSeen: string
}

/**
 * A run of look-ups of one host name (ASCII form) by one adapter, all with the same verdict: the first and
 * the last are at most an hour apart. Adapter, name, verdict and first together name the run.
 */
export interface Lookup {
  readonly mac: string
  readonly name: string
  readonly effect: Effect
  readonly first: string
  readonly last: string
  readonly tries: number
}

/** The changes that a gateway reports without being asked. */
export type GatewayChange = 'status' | 'sightings' | 'evidence' | 'requests' | 'allowances'

/** A policy on its way to a gateway: the document and the digest that its canonical text must have. */
export interface Proposal {
  readonly document: unknown
  readonly digest: string
}

/**
 * A gateway's answer to a proposal: `null` where it takes it, or else every fault of the proposal; then nothing
 * changed, and asked again it says the same. A failure for another reason is a GatewayFailure.
 */
export type Refusal = readonly Fault[] | null

/**
 * The decision of a gateway on a device at an instant: the state, the rule or override that it follows from,
 * and the bounds of that, `null` where there are none within 400 days.
 */
export interface Decision {
  readonly state: State
  readonly because: string | null
  readonly since: string | null
  readonly until: string | null
}

/** Says that what was sent is no proposal. */
export class MalformedProposal extends Error {}

/** Says that no gateway is connected. */
export class NoGateway extends Error {
  constructor() {
    super('No gateway is connected: connect one in the settings.')
  }
}

/** Says that something was asked of a gateway that it cannot do. */
export class GatewayRefusal extends Error {}

/**
 * Says that a gateway could not do something now for a reason that lies outside of what it was asked: a full
 * disk, a program that is missing, a router that is away. The same may go well later.
 */
export class GatewayFailure extends Error {}

/**
 * A gateway, in this process or at the other end of a connection. Every call may fail where the gateway is
 * away.
 */
export interface Gateway {
  status(): Promise<GatewayStatus>
  sightings(): Promise<readonly Sighting[]>
  evidence(): Promise<Evidence>
  /**
   * The runs of look-ups that it keeps (of at least the last two days) and that went on at or after an
   * instant, `null` = all.
   */
  lookups(since: string | null): Promise<readonly Lookup[]>
  /**
   * The hours of use that changed after a number of a run of its program, of at least the last week; `null` =
   * all. One that comes again takes the place of what was known of it.
   */
  usage(run: string | null, number: number): Promise<UsageNews>
  /**
   * Returns the usage of allowances, and the times at which they were used up, at or after an instant; `null`
   * = of at least the last week.
   */
  allowances(since: string | null): Promise<AllowanceNews>
  /** Takes settings in the place of those before, whole or not at all. */
  set(settings: unknown): Promise<Refusal>
  /**
   * The page (HTML) that somebody is shown now who asks for a name that is closed for them. Refuses before
   * the first policy.
   */
  page(mac: string, name: string): Promise<string>
  /** The requests of devices for more time within the last day, the newest last. */
  requests(): Promise<readonly AccessRequest[]>
  /**
   * Tells the device what was answered to its request (`RequestAnswer`).
   *
   * @returns whether there is such a request
   */
  answerRequest(id: string, answer: unknown): Promise<boolean>
  /** Checks a proposal, or the JSON (UTF-8) of one, without putting it in force. */
  check(proposal: Proposal | Uint8Array<ArrayBuffer>): Promise<Refusal>
  /** Puts a proposal, or the JSON (UTF-8) of one, in force, whole or not at all. */
  enforce(proposal: Proposal | Uint8Array<ArrayBuffer>): Promise<Refusal>
  /**
   * Puts other overrides (as a document has them) beside the policy that it holds; `digest` is that of both
   * together. Whole or not at all.
   */
  amend(overrides: unknown, digest: string): Promise<Refusal>
  /**
   * Returns the decision on a device at an instant by the policy that it holds: the device that has this
   * address, or a newcomer; `null` before the first policy.
   */
  decision(mac: string, at: string): Promise<Decision | null>
  /** Calls `changed` at every change until the signal aborts; ends also where the connection does. */
  watch(changed: (change: GatewayChange) => void, signal: AbortSignal): Promise<void>
  /**
   * The controls of a simulated network.
   *
   * @throws GatewayRefusal where the network is real
   */
  simulation(): Promise<Simulation>
}

/** `GET /api/pairing`: the gateway that was paired by a code, and the code that waits to be typed at one. */
export interface PairingAnswer {
  /** `host:port`; `null` = none was paired. */
  readonly address: string | null
  /** `until` is an instant in UTC. */
  readonly waiting: { readonly address: string; readonly code: string; readonly until: string } | null
}

/**
 * The standing of a gateway to the live policy: it enforces that, will, refuses it, or does not answer;
 * `none` = no gateway is connected.
 */
export type GatewayState = 'in-force' | 'pending' | 'refused' | 'away' | 'none'

/** Whether a gateway is connected and answers. */
export const isAnswering = (state: GatewayState): boolean => state !== 'away' && state !== 'none'
