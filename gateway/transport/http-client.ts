import { Agent, fetch, type RequestInit, type Response } from 'undici'
import { keyOfCode, PAIRING_IDENTITY } from './pairing.ts'
import { IDENTITY, SECURE } from '../../node/secure.ts'
import {
  gatewayCalls,
  simulationCalls,
  type AskByName,
  type Call,
} from '../../protocol/gateway/gateway-calls.ts'
import {
  GatewayFailure,
  GatewayRefusal,
  type Gateway,
  type GatewayChange,
} from '../../protocol/gateway/gateway.ts'
import { FIRST_SETTINGS } from '../../protocol/gateway/settings.ts'
import { REAL_NETWORK } from '../../protocol/gateway/simulation.ts'

/** The time that an answer may take, and that an answer to a whole policy may take. */
const [PATIENCE_MS, LONG_PATIENCE_MS] = [3000, 60_000]
/**
 * The largest answer, the largest that tells of many devices, and the longest line that tells of a change.
 */
const [MAX_BYTES, MAX_LARGE_BYTES, MAX_LINE_CHARS] = [2_000_000, 64_000_000, 1000]

/**
 * A gateway at the other end of an HTTP connection (docs/gateway-protocol.md). A call fails where it is away,
 * refuses the token or takes over three seconds (a minute for a whole policy); what it cannot do is a
 * GatewayRefusal.
 *
 * @param address `tls://host:port`, `unix:/path` or, on this machine, `http://…`
 */
export function gatewayAt(address: string, token: string): Gateway {
  const { base, dispatcher } = connectionTo(address, token)
  const headers = { 'authorization': `Bearer ${token}`, 'content-type': 'application/json' }
  const send: Send = (path, init) => fetch(new URL(path, base), { ...init, dispatcher, headers })
  const ask: AskByName = (_name, call, args) => askOver(send, call, args)
  const calls = gatewayCalls(ask)
  const status = async () => {
    const answer = await calls.status()
    // A gateway of an earlier version leaves out what it does not know.
    return { ...answer, settings: { ...FIRST_SETTINGS, ...answer.settings } }
  }
  return {
    ...calls,
    status,
    simulation: async () => {
      if ((await status()).plane !== 'simulated') throw new GatewayRefusal(REAL_NETWORK)
      return simulationCalls(ask)
    },
    watch: (changed, signal) => watchOver(send, changed, signal),
  }
}

/** Sends a request to the gateway. */
type Send = (path: string, init: RequestInit) => Promise<Response>

/** Does a call of the table over HTTP. */
async function askOver(send: Send, call: Call, args: readonly unknown[]): Promise<unknown> {
  const [method, path] = call.http.split(' ') as [string, string]
  const { query, body } = packed(call, args)
  const response = await send(path + query, {
    method,
    body,
    signal: AbortSignal.timeout(call.isLong ? LONG_PATIENCE_MS : PATIENCE_MS),
  })
  if (response.status === 422) throw new GatewayRefusal(await wordsIn(response))
  if (response.status === 503) throw new GatewayFailure(await wordsIn(response))
  if (!response.ok) {
    await response.body?.cancel()
    throw new Error(statusWords(response))
  }
  const answer = await jsonOf(response, call.isLarge ? MAX_LARGE_BYTES : MAX_BYTES)
  return call.answersAs ? (answer as Record<string, unknown>)[call.answersAs] : answer
}

/** Returns the arguments of a call as the query and the body of its request. */
function packed({ http, takes }: Call, args: readonly unknown[]) {
  if (typeof takes === 'string') {
    const [only] = args
    return { query: '', body: only instanceof Uint8Array ? only : JSON.stringify(only) }
  }
  const named = Object.keys(takes).map((name, index): [string, unknown] => [name, args[index]])
  if (!http.startsWith('GET ')) return { query: '', body: JSON.stringify(Object.fromEntries(named)) }
  const given = named.filter(([, value]) => value !== null).map(([name, value]) => [name, String(value)])
  return { query: given.length === 0 ? '' : `?${new URLSearchParams(given)}`, body: undefined }
}

/** Tells of changes until the signal aborts or the connection ends. */
async function watchOver(
  send: Send,
  changed: (change: GatewayChange) => void,
  signal: AbortSignal,
): Promise<void> {
  const response = await send('/v1/changes', { signal })
  if (!response.ok || !response.body) throw new Error(statusWords(response))
  let rest = ''
  const decoder = new TextDecoder()
  for await (const chunk of response.body) {
    const lines = (rest + decoder.decode(chunk as Uint8Array, { stream: true })).split('\n')
    rest = lines.pop()!
    if (rest.length > MAX_LINE_CHARS) throw new Error('The gateway says what is no change.')
    for (const line of lines) if (line.startsWith('data: ')) changed(line.slice(6).trim() as GatewayChange)
  }
}

/** Says in a sentence that a gateway could not be paired. */
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
      signal: AbortSignal.timeout(PATIENCE_MS),
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

/** A connection to a gateway: the base of the addresses of calls, and the dispatcher. */
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

/**
 * Connects over TLS by a key: who the other side is, it proves; there is no certificate in which a name
 * could stand.
 */
function agentOf(psk: Buffer, identity: string): Agent {
  return new Agent({
    connect: { ...SECURE, pskCallback: () => ({ psk, identity }), checkServerIdentity: () => undefined },
  })
}

/** Reads the JSON of an answer that may have so many bytes. */
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
  const body = (await jsonOf(response, MAX_BYTES).catch(() => null)) as { data?: { words?: string } } | null
  return body?.data?.words ?? statusWords(response)
}

const statusWords = ({ status, statusText }: Response) => `The gateway answered ${status}: ${statusText}`
