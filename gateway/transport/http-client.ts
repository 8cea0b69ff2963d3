import { Agent, fetch, type RequestInit, type Response } from 'undici'
import { keyOfCode, PAIRING_IDENTITY } from './pairing.ts'
import { IDENTITY, SECURE } from '../../node/secure.ts'
import {
  GatewayFailure,
  GatewayRefusal,
  type GatewayChange,
  type Decision,
  type Gateway,
  type GatewayStatus,
  type Lookup,
  type Refusal,
  type Sighting,
} from '../../protocol/gateway.ts'
import type { AccessRequest } from '../../protocol/request.ts'
import type { AllowanceNews } from '../../protocol/allowance.ts'
import type { UsageNews } from '../../protocol/usage.ts'
import type { Evidence, Flow } from '../../protocol/evidence.ts'
import { FIRST_SETTINGS } from '../../protocol/settings.ts'
import { REAL_NETWORK, type Simulation } from '../../protocol/simulation.ts'

/**
 * How long an answer may take, and one to a whole policy, which may hold a million names, in milliseconds.
 */
const PATIENCE = 3000
const LONG = 60_000
/** The largest answer, and that with what many devices did, in bytes; and the longest line that tells of a change. */
const [LARGEST, LARGEST_LIST, LONGEST_LINE] = [2_000_000, 64_000_000, 1000]

/**
 * A gateway at the other end of an HTTP connection (docs/gateway-protocol.md). A call fails where it is away,
 * refuses the token or takes over three seconds (a minute for a whole policy); what it cannot do is a
 * GatewayRefusal.
 *
 * @param address `tls://host:port`, `unix:/path` or, on this machine, `http://…`
 */
export function gatewayAt(address: string, token: string): Gateway {
  return new HttpGateway(address, token)
}

/** That a gateway could not be paired, in a sentence. */
export class NotPaired extends Error {}

/**
 * Gives a gateway the secret by which it is reached from now on, by a code that was typed at one side.
 *
 * @param address `host:port`
 * @throws NotPaired where it is away, or the code is not the one that it takes
 */
export async function pairWith(address: string, code: string, secret: string): Promise<void> {
  const key = await keyOfCode(code)
  const dispatcher = agentOf(key, PAIRING_IDENTITY)
  try {
    const response = await fetch(`https://${address}/v1/secret`, {
      method: 'PUT',
      dispatcher,
      body: JSON.stringify({ secret }),
      headers: { 'content-type': 'application/json' },
      signal: AbortSignal.timeout(PATIENCE),
    })
    if (!response.ok) throw new NotPaired(statusWords(response))
  } catch (error) {
    if (error instanceof NotPaired) throw error
    throw new NotPaired(reasonOf(error))
  } finally {
    await dispatcher.close()
  }
}

/** Why a connection could not be made: undici says it in the cause. */
function reasonOf(error: unknown): string {
  const cause = error instanceof Error && error.cause instanceof Error ? error.cause : error
  const { code, message } = cause as { code?: string; message?: string }
  if (code?.startsWith('ERR_SSL') || code === 'ECONNRESET')
    return 'the gateway does not take this code: it may be over or mistyped'
  return message || code || String(cause)
}

/** Where calls go: the base of their addresses, and how it is connected to. */
interface Connection {
  readonly base: string
  readonly dispatcher: Agent
}

function connectionTo(address: string, token: string): Connection {
  if (address.startsWith('unix:'))
    return { base: 'http://gateway', dispatcher: new Agent({ connect: { socketPath: address.slice(5) } }) }
  if (!address.startsWith('tls://')) return { base: address, dispatcher: new Agent() }
  return { base: `https${address.slice(3)}`, dispatcher: agentOf(Buffer.from(token), IDENTITY) }
}

/** Connects over TLS by a key: who the other side is, it proves; there is no certificate in which a name could stand. */
function agentOf(psk: Buffer, identity: string): Agent {
  return new Agent({
    connect: { ...SECURE, pskCallback: () => ({ psk, identity }), checkServerIdentity: () => undefined },
  })
}

class HttpGateway implements Gateway {
  readonly #connection: Connection
  readonly #headers: Record<string, string>

  constructor(address: string, token: string) {
    this.#connection = connectionTo(address, token)
    this.#headers = { 'authorization': `Bearer ${token}`, 'content-type': 'application/json' }
  }

  async status(): Promise<GatewayStatus> {
    const status = await this.#call<GatewayStatus>('GET', '/v1/status')
    // A gateway of an earlier version leaves out what it does not know.
    return { ...status, settings: { ...FIRST_SETTINGS, ...status.settings } }
  }

  sightings() {
    return this.#call<Sighting[]>('GET', '/v1/sightings', { largest: LARGEST_LIST })
  }

  evidence() {
    return this.#call<Evidence>('GET', '/v1/evidence', { largest: LARGEST_LIST })
  }

  lookups(since: string | null) {
    return this.#call<Lookup[]>(
      'GET',
      `/v1/lookups${since === null ? '' : `?${new URLSearchParams({ since })}`}`,
      { largest: LARGEST_LIST },
    )
  }

  usage(run: string | null, number: number) {
    const query = run === null ? '' : `?${new URLSearchParams({ run, number: String(number) })}`
    return this.#call<UsageNews>('GET', `/v1/usage${query}`, { patience: LONG, largest: LARGEST_LIST })
  }

  allowances(since: string | null) {
    const query = since === null ? '' : `?${new URLSearchParams({ since })}`
    return this.#call<AllowanceNews>('GET', `/v1/allowances${query}`)
  }

  set(settings: unknown) {
    return this.#faults('PUT', '/v1/settings', settings)
  }

  async page(mac: string, name: string) {
    const query = new URLSearchParams({ mac, name })
    return (await this.#call<{ html: string }>('GET', `/v1/page?${query}`)).html
  }

  requests() {
    return this.#call<AccessRequest[]>('GET', '/v1/requests')
  }

  async answerRequest(id: string, answer: unknown) {
    return (await this.#call<{ found: boolean }>('PUT', '/v1/requests', { body: { id, answer } })).found
  }

  check(proposal: Parameters<Gateway['check']>[0]) {
    return this.#faults('POST', '/v1/check', proposal, LONG)
  }

  enforce(proposal: Parameters<Gateway['enforce']>[0]) {
    return this.#faults('PUT', '/v1/policy', proposal, LONG)
  }

  amend(overrides: unknown, digest: string) {
    return this.#faults('PUT', '/v1/overrides', { overrides, digest }, LONG)
  }

  decision(mac: string, at: string) {
    return this.#call<Decision | null>('GET', `/v1/decision?${new URLSearchParams({ mac, at })}`)
  }

  async simulation(): Promise<Simulation> {
    if ((await this.status()).plane !== 'simulated') throw new GatewayRefusal(REAL_NETWORK)
    return {
      setClock: async (instant) => {
        await this.#call('PUT', '/v1/clock', { body: { instant } })
      },
      send: (mac, to) => this.#call<Flow>('PUT', '/v1/send', { body: { mac, to } }),
      pretend: async (trouble) => {
        await this.#call('PUT', '/v1/pretend', { body: { trouble } })
      },
      useApp: async (mac, app) => {
        await this.#call('PUT', '/v1/use', { body: { mac, app } })
      },
    }
  }

  async watch(changed: (change: GatewayChange) => void, signal: AbortSignal): Promise<void> {
    const response = await this.#fetch('/v1/changes', { signal })
    if (!response.ok || !response.body) throw new Error(statusWords(response))
    let rest = ''
    const decoder = new TextDecoder()
    for await (const chunk of response.body) {
      const lines = (rest + decoder.decode(chunk as Uint8Array, { stream: true })).split('\n')
      rest = lines.pop()!
      if (rest.length > LONGEST_LINE) throw new Error('The gateway says what is no change.')
      for (const line of lines) if (line.startsWith('data: ')) changed(line.slice(6).trim() as GatewayChange)
    }
  }

  async #faults(method: string, path: string, body: unknown, patience = PATIENCE): Promise<Refusal> {
    return (await this.#call<{ faults: Refusal }>(method, path, { body, patience })).faults
  }

  async #call<T>(
    method: string,
    path: string,
    {
      body,
      patience = PATIENCE,
      largest = LARGEST,
    }: { body?: unknown; patience?: number; largest?: number } = {},
  ): Promise<T> {
    const response = await this.#fetch(path, {
      method,
      body: body === undefined || body instanceof Uint8Array ? body : JSON.stringify(body),
      signal: AbortSignal.timeout(patience),
    })
    if (response.status === 422) throw new GatewayRefusal(await wordsIn(response))
    if (response.status === 503) throw new GatewayFailure(await wordsIn(response))
    if (!response.ok) {
      await response.body?.cancel()
      throw new Error(statusWords(response))
    }
    return (await jsonOf(response, largest)) as T
  }

  #fetch(path: string, init: RequestInit): Promise<Response> {
    const { base, dispatcher } = this.#connection
    return fetch(new URL(path, base), { ...init, dispatcher, headers: this.#headers })
  }
}

/** What an answer says, which may be so many bytes. */
async function jsonOf(response: Response, largest: number): Promise<unknown> {
  const parts: Uint8Array[] = []
  let size = 0
  for await (const part of response.body ?? []) {
    size += (part as Uint8Array).length
    if (size > largest) throw new Error(`The gateway answered with more than ${largest / 1e6} MB.`)
    parts.push(part as Uint8Array)
  }
  return JSON.parse(Buffer.concat(parts).toString('utf8'))
}

/** Why a call was not done, as the gateway says it. */
async function wordsIn(response: Response): Promise<string> {
  const body = (await jsonOf(response, LARGEST).catch(() => null)) as { data?: { words?: string } } | null
  return body?.data?.words ?? statusWords(response)
}

const statusWords = ({ status, statusText }: Response) => `The gateway answered ${status}: ${statusText}`
