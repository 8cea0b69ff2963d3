import { Agent, fetch } from 'undici'
import { IDENTITY, SECURE } from './secure.ts'
import {
  GatewayRefusal,
  type GatewayChange,
  type Decision,
  type Evidence,
  type Flow,
  type Gateway,
  type GatewayStatus,
  type Lookup,
  type Refusal,
  type Sighting,
} from '../protocol/gateway.ts'
import { REAL_NETWORK, type Simulation } from '../protocol/simulation.ts'

/**
 * How long an answer may take, and one to a whole policy, which may hold a million names, in milliseconds.
 */
const PATIENCE = 3000
const LONG = 60_000

/**
 * A gateway at the other end of an HTTP connection (docs/gateway-protocol.md), at `tls://host:port`,
 * `unix:/path` or, on this machine, `http://…`. A call fails where it is away, refuses the token or takes
 * over three seconds (a minute for a whole policy); what it cannot do is a GatewayRefusal.
 */
export function gatewayAt(address: string, token: string): Gateway {
  const socketPath = address.startsWith('unix:') ? address.slice(5) : undefined
  const secure = address.startsWith('tls://')
  // Who the other side is, the secret proves; it has no certificate in which a name could stand.
  const psk = {
    ...SECURE,
    pskCallback: () => ({ psk: Buffer.from(token), identity: IDENTITY }),
    checkServerIdentity: () => undefined,
  }
  let dispatcher = new Agent()
  let base = address
  if (socketPath !== undefined) {
    dispatcher = new Agent({ connect: { socketPath } })
    base = 'http://gateway'
  } else if (secure) {
    dispatcher = new Agent({ connect: psk })
    base = `https${address.slice(3)}`
  }
  const headers = { 'authorization': `Bearer ${token}`, 'content-type': 'application/json' }
  const call = async <T>(method: string, path: string, body?: unknown, patience = PATIENCE): Promise<T> => {
    const response = await fetch(new URL(path, base), {
      dispatcher,
      method,
      headers,
      body: body === undefined || body instanceof Uint8Array ? body : JSON.stringify(body),
      signal: AbortSignal.timeout(patience),
    })
    if (response.status === 422)
      throw new GatewayRefusal(((await response.json()) as { data: { words: string } }).data.words)
    if (!response.ok) throw new Error(`The gateway answered ${response.status}: ${response.statusText}`)
    return (await response.json()) as T
  }
  const status = () => call<GatewayStatus>('GET', '/v1/status')
  const simulation: Simulation = {
    setClock: async (instant) => {
      await call('PUT', '/v1/clock', { instant })
    },
    send: (mac, to) => call<Flow>('PUT', '/v1/send', { mac, to }),
    pretend: async (trouble) => {
      await call('PUT', '/v1/pretend', { trouble })
    },
    useApp: async (mac, app) => {
      await call('PUT', '/v1/use', { mac, app })
    },
  }
  return {
    status,
    sightings: () => call<Sighting[]>('GET', '/v1/sightings'),
    evidence: () => call<Evidence>('GET', '/v1/evidence'),
    lookups: (since) =>
      call<Lookup[]>('GET', `/v1/lookups${since === null ? '' : `?since=${encodeURIComponent(since)}`}`),
    set: async (settings) => (await call<{ faults: Refusal }>('PUT', '/v1/settings', settings)).faults,
    page: async (mac, name) =>
      (await call<{ html: string }>('GET', `/v1/page?${new URLSearchParams({ mac, name })}`)).html,
    check: async (proposal) => (await call<{ faults: Refusal }>('POST', '/v1/check', proposal, LONG)).faults,
    enforce: async (proposal) =>
      (await call<{ faults: Refusal }>('PUT', '/v1/policy', proposal, LONG)).faults,
    amend: async (overrides, digest) =>
      (await call<{ faults: Refusal }>('PUT', '/v1/overrides', { overrides, digest }, LONG)).faults,
    decision: (mac, at) => call<Decision | null>('GET', `/v1/decision?${new URLSearchParams({ mac, at })}`),
    simulation: async () => {
      if ((await status()).plane !== 'simulated') throw new GatewayRefusal(REAL_NETWORK)
      return simulation
    },
    watch: async (changed, signal) => {
      const response = await fetch(new URL('/v1/changes', base), { dispatcher, headers, signal })
      if (!response.ok || !response.body)
        throw new Error(`The gateway answered ${response.status}: ${response.statusText}`)
      let rest = ''
      const decoder = new TextDecoder()
      for await (const chunk of response.body) {
        const lines = (rest + decoder.decode(chunk as Uint8Array, { stream: true })).split('\n')
        rest = lines.pop()!
        for (const line of lines)
          if (line.startsWith('data: ')) changed(line.slice(6).trim() as GatewayChange)
      }
    },
  }
}
