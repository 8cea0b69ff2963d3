import type { Gateway } from './gateway.ts'
import type { Simulation } from './simulation.ts'

/**
 * The kind of an argument: text, text that may be missing (`null`), a number (0 where it is missing), or
 * anything.
 */
export type ArgumentKind = 'text' | 'optional' | 'number' | 'any'

/** A call as it goes over HTTP. */
export interface Call {
  /** Method and path. */
  readonly http: `${'GET' | 'PUT' | 'POST'} /v1/${string}`
  /**
   * The arguments by name, in their order: of GET in the query, else in an object as the body. `body` = the
   * only argument is the body itself; `bytes` = that, or the bytes of its JSON (UTF-8).
   */
  readonly takes: Readonly<Record<string, ArgumentKind>> | 'body' | 'bytes'
  /** The key under which the answer stands in an object; undefined = the answer stands by itself. */
  readonly answersAs?: 'html' | 'found' | 'faults'
  /** Whether the answer may take a minute: a policy may have a million names. */
  readonly isLong?: true
  /** Whether the answer may have 64 MB: it tells of many devices. */
  readonly isLarge?: true
}

/**
 * Every call that is answered once: the client, the server and the switch between gateways are made from
 * this table.
 */
export const GATEWAY_CALLS = {
  status: { http: 'GET /v1/status', takes: {} },
  sightings: { http: 'GET /v1/sightings', takes: {}, isLarge: true },
  evidence: { http: 'GET /v1/evidence', takes: {}, isLarge: true },
  lookups: { http: 'GET /v1/lookups', takes: { since: 'optional' }, isLarge: true },
  usage: { http: 'GET /v1/usage', takes: { run: 'optional', number: 'number' }, isLong: true, isLarge: true },
  allowances: { http: 'GET /v1/allowances', takes: { since: 'optional' } },
  decision: { http: 'GET /v1/decision', takes: { mac: 'text', at: 'text' } },
  page: { http: 'GET /v1/page', takes: { mac: 'text', name: 'text' }, answersAs: 'html' },
  requests: { http: 'GET /v1/requests', takes: {} },
  answerRequest: { http: 'PUT /v1/requests', takes: { id: 'text', answer: 'any' }, answersAs: 'found' },
  set: { http: 'PUT /v1/settings', takes: 'body', answersAs: 'faults' },
  check: { http: 'POST /v1/check', takes: 'bytes', answersAs: 'faults', isLong: true },
  enforce: { http: 'PUT /v1/policy', takes: 'bytes', answersAs: 'faults', isLong: true },
  amend: {
    http: 'PUT /v1/overrides',
    takes: { overrides: 'any', digest: 'text' },
    answersAs: 'faults',
    isLong: true,
  },
} as const satisfies Readonly<Record<keyof Omit<Gateway, 'watch' | 'simulation'>, Call>>

/** The calls that only a simulated network takes. */
export const SIMULATION_CALLS = {
  setClock: { http: 'PUT /v1/clock', takes: { instant: 'optional' } },
  send: { http: 'PUT /v1/send', takes: { mac: 'text', to: 'text' } },
  pretend: { http: 'PUT /v1/pretend', takes: { trouble: 'text' } },
  useApp: { http: 'PUT /v1/use', takes: { mac: 'text', app: 'text' } },
} as const satisfies Readonly<Record<keyof Simulation, Call>>

/** Does a call of a table by its name. */
export type AskByName = (name: string, call: Call, args: readonly unknown[]) => Promise<unknown>

/** Returns the calls of a gateway, each done by one function. */
export const gatewayCalls = (ask: AskByName) => fromTable<GatewayCalls>(GATEWAY_CALLS, ask)
/** Returns the calls of a simulated network, each done by one function. */
export const simulationCalls = (ask: AskByName) => fromTable<Simulation>(SIMULATION_CALLS, ask)

/** The calls of a gateway that are answered once. */
export type GatewayCalls = Omit<Gateway, 'watch' | 'simulation'>

function fromTable<Calls>(table: Readonly<Record<keyof Calls, Call>>, ask: AskByName): Calls {
  const methods = Object.entries<Call>(table).map(([name, call]) => [
    name,
    (...args: unknown[]) => ask(name, call, args),
  ])
  return Object.fromEntries(methods) as Calls
}

/** Returns a method by its name in a table of calls. */
export function methodOf(target: object, name: string): (...args: readonly unknown[]) => Promise<unknown> {
  const method = (target as Record<string, (...args: readonly unknown[]) => Promise<unknown>>)[name]!
  return method.bind(target)
}
