import { createHash, timingSafeEqual } from 'node:crypto'
import { createServer, type Server } from 'node:http'
import { createServer as createSecureServer } from 'node:https'
import {
  createApp,
  createError,
  createEventStream,
  createRouter,
  defineEventHandler,
  getHeader,
  getQuery,
  toNodeListener,
  type H3Event,
} from 'h3'
import type { GatewayProgram } from './gateway.ts'
import { GatewayRefusal, type Gateway } from '../protocol/gateway.ts'
import type { Pretence, Simulation } from '../protocol/simulation.ts'
import { MalformedProposal } from './reader.ts'
import { IDENTITY, SECURE } from './secure.ts'

/**
 * The gateway's protocol over HTTP, as docs/gateway-protocol.md says; every call needs `Authorization: Bearer
 * <token>`. `secure` = over TLS by that token. `fault` hears of calls that failed for no fault of who called.
 */
export function gatewayServer(
  gateway: GatewayProgram,
  token: string,
  secure = false,
  fault: (error: unknown) => void = () => {},
): Server {
  const router = createRouter()
    .get(
      '/v1/status',
      defineEventHandler(() => gateway.status()),
    )
    .get(
      '/v1/sightings',
      defineEventHandler(() => gateway.sightings()),
    )
    .get(
      '/v1/evidence',
      defineEventHandler(() => gateway.evidence()),
    )
    .get(
      '/v1/lookups',
      defineEventHandler((event) => {
        const { since } = getQuery(event)
        return gateway.lookups(since === undefined ? null : String(since)).catch(refused)
      }),
    )
    .get(
      '/v1/decision',
      defineEventHandler((event) => {
        const { mac, at } = getQuery(event)
        return gateway.decision(String(mac), String(at)).catch(refused)
      }),
    )
    .get(
      '/v1/page',
      defineEventHandler(async (event) => {
        const { mac, name } = getQuery(event)
        return { html: await gateway.page(String(mac), String(name)).catch(refused) }
      }),
    )
    .put(
      '/v1/settings',
      defineEventHandler(async (event) => ({ faults: await gateway.set(await bodyOf(event)) })),
    )
    .get(
      '/v1/changes',
      defineEventHandler((event) => changes(event, gateway)),
    )
    .post(
      '/v1/check',
      defineEventHandler(async (event) => ({
        faults: await gateway.check(await bytesOf(event)).catch(malformed),
      })),
    )
    .put(
      '/v1/policy',
      defineEventHandler(async (event) => ({
        faults: await gateway.enforce(await bytesOf(event)).catch(malformed),
      })),
    )
    .put(
      '/v1/overrides',
      defineEventHandler(async (event) => {
        const { overrides, digest } = await bodyOf(event)
        return { faults: await gateway.amend(overrides, String(digest)) }
      }),
    )
    .put(
      '/v1/clock',
      defineEventHandler(async (event) => {
        const { instant } = await bodyOf(event)
        await simulated(gateway, (network) => network.setClock(instant === null ? null : String(instant)))
        return gateway.status()
      }),
    )
    .put(
      '/v1/send',
      defineEventHandler(async (event) => {
        const { mac, to } = await bodyOf(event)
        return simulated(gateway, (network) => network.send(String(mac), String(to)))
      }),
    )
    .put(
      '/v1/pretend',
      defineEventHandler(async (event) => {
        const { trouble } = await bodyOf(event)
        await simulated(gateway, (network) => network.pretend(trouble as Pretence))
        return {}
      }),
    )
    .put(
      '/v1/use',
      defineEventHandler(async (event) => {
        const { mac, app } = await bodyOf(event)
        await simulated(gateway, (network) => network.useApp(String(mac), String(app)))
        return {}
      }),
    )
  const app = createApp({
    onError: (error) => {
      if (error.statusCode >= 500) fault(error.cause ?? error)
    },
  })
    .use(
      defineEventHandler((event) => {
        if (!sameSecret(getHeader(event, 'authorization') ?? '', `Bearer ${token}`))
          throw createError({ statusCode: 401, statusMessage: 'The token is missing or wrong' })
      }),
    )
    .use(router)
  const listener = toNodeListener(app)
  return secure
    ? createSecureServer(
        {
          ...SECURE,
          pskCallback: (_socket, identity) => (identity === IDENTITY ? Buffer.from(token) : null),
        },
        listener,
      )
    : createServer(listener)
}

/** The longest body, in bytes: a policy with a million names has some thirty million. */
const LONGEST_BODY = 128_000_000

/** The body of a call; one that is too long is refused with 413. */
async function bytesOf(event: H3Event): Promise<Uint8Array<ArrayBuffer>> {
  const parts: Buffer[] = []
  let length = 0
  for await (const part of event.node.req) {
    length += (part as Buffer).length
    if (length > LONGEST_BODY) throw createError({ statusCode: 413, statusMessage: 'The body is too long' })
    parts.push(part as Buffer)
  }
  // In memory of its own, so that it can be given to another thread.
  const bytes = new Uint8Array(length)
  let at = 0
  for (const part of parts) {
    bytes.set(part, at)
    at += part.length
  }
  return bytes
}

/** The body of a call: an object. Anything else is refused with 400. */
async function bodyOf(event: H3Event): Promise<Record<string, unknown>> {
  const bytes = await bytesOf(event)
  try {
    const body: unknown = JSON.parse(Buffer.from(bytes).toString())
    if (typeof body === 'object' && body !== null && !Array.isArray(body))
      return body as Record<string, unknown>
  } catch {
    // Answered below: it is not JSON.
  }
  throw createError({ statusCode: 400, statusMessage: 'The body must be a JSON object' })
}

/** Does something to a simulated network; one that is real refuses. */
function simulated<T>(gateway: Gateway, work: (network: Simulation) => Promise<T>): Promise<T> {
  return gateway.simulation().then(work).catch(refused)
}

function malformed(error: unknown): never {
  if (error instanceof MalformedProposal) throw createError({ statusCode: 400, statusMessage: error.message })
  throw error
}

function changes(event: H3Event, gateway: Gateway) {
  const stream = createEventStream(event)
  const stop = new AbortController()
  stream.onClosed(async () => stop.abort())
  void gateway.watch((change) => void stream.push(change), stop.signal)
  return stream.send()
}

function refused(error: unknown): never {
  if (error instanceof GatewayRefusal)
    throw createError({
      statusCode: 422,
      statusMessage: 'The gateway cannot do that',
      data: { words: error.message },
    })
  throw error
}

function sameSecret(given: string, wanted: string): boolean {
  const hash = (text: string) => createHash('sha256').update(text).digest()
  return timingSafeEqual(hash(given), hash(wanted))
}
