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
  isError,
  toNodeListener,
  type H3Event,
  type RouterMethod,
} from 'h3'
import { GatewayRefusal, type Gateway } from '../../protocol/gateway.ts'
import type { Pretence } from '../../protocol/simulation.ts'
import { MalformedProposal } from '../../protocol/gateway.ts'
import { PAIRING_IDENTITY, type GatewaySecret } from './pairing.ts'
import { SECRET_LENGTH, SECURE } from '../../node/secure.ts'

/** Answers a call; what it returns is sent as JSON. */
type Handler = (gateway: Gateway, event: H3Event) => unknown

/** The calls of the protocol, by method and path. */
const CALLS: Readonly<Record<string, Handler>> = {
  'GET /v1/status': (gateway) => gateway.status(),
  'GET /v1/sightings': (gateway) => gateway.sightings(),
  'GET /v1/evidence': (gateway) => gateway.evidence(),
  'GET /v1/lookups': (gateway, event) => {
    const { since } = getQuery(event)
    return gateway.lookups(since === undefined ? null : String(since))
  },
  'GET /v1/usage': (gateway, event) => {
    const { run, number } = getQuery(event)
    return gateway.usage(run === undefined ? null : String(run), Number(number) || 0)
  },
  'GET /v1/allowances': (gateway, event) => {
    const { since } = getQuery(event)
    return gateway.allowances(since === undefined ? null : String(since))
  },
  'GET /v1/decision': (gateway, event) => {
    const { mac, at } = getQuery(event)
    return gateway.decision(String(mac), String(at))
  },
  'GET /v1/page': async (gateway, event) => {
    const { mac, name } = getQuery(event)
    return { html: await gateway.page(String(mac), String(name)) }
  },
  'GET /v1/requests': (gateway) => gateway.requests(),
  'PUT /v1/requests': async (gateway, event) => {
    const { id, answer } = await bodyOf(event)
    return { found: await gateway.answerRequest(String(id), answer) }
  },
  'PUT /v1/settings': async (gateway, event) => ({ faults: await gateway.set(await bodyOf(event)) }),
  'GET /v1/changes': (gateway, event) => changes(event, gateway),
  'POST /v1/check': async (gateway, event) => ({ faults: await gateway.check(await bytesOf(event)) }),
  'PUT /v1/policy': async (gateway, event) => ({ faults: await gateway.enforce(await bytesOf(event)) }),
  'PUT /v1/overrides': async (gateway, event) => {
    const { overrides, digest } = await bodyOf(event)
    return { faults: await gateway.amend(overrides, String(digest)) }
  },
  'PUT /v1/clock': async (gateway, event) => {
    const { instant } = await bodyOf(event)
    await (await gateway.simulation()).setClock(instant === null ? null : String(instant))
    return gateway.status()
  },
  'PUT /v1/send': async (gateway, event) => {
    const { mac, to } = await bodyOf(event)
    return (await gateway.simulation()).send(String(mac), String(to))
  },
  'PUT /v1/pretend': async (gateway, event) => {
    const { trouble } = await bodyOf(event)
    await (await gateway.simulation()).pretend(trouble as Pretence)
    return {}
  },
  'PUT /v1/use': async (gateway, event) => {
    const { mac, app } = await bodyOf(event)
    await (await gateway.simulation()).useApp(String(mac), String(app))
    return {}
  },
}

/**
 * The gateway's protocol over HTTP, as docs/gateway-protocol.md says; every call needs `Authorization: Bearer
 * <secret>`, but the one by which who has a code gives another secret.
 *
 * @param secure over TLS by that secret
 * @param fault hears of calls that failed for no fault of who called
 */
export function gatewayServer(
  gateway: Gateway,
  secret: GatewaySecret,
  secure = false,
  fault: (error: unknown) => void = () => {},
): Server {
  const router = createRouter()
  for (const [call, handler] of Object.entries(CALLS)) {
    const [method, path] = call.split(' ') as [string, string]
    router.add(
      path,
      defineEventHandler(async (event) => {
        try {
          return await handler(gateway, event)
        } catch (error) {
          return refused(error)
        }
      }),
      method.toLowerCase() as RouterMethod,
    )
  }
  /** The connections of who proved to have a code, with that. */
  const byCode = new WeakMap<object, object>()
  const app = createApp({
    onError: (error) => {
      if (error.statusCode >= 500) fault(error.cause ?? error)
    },
  })
    .use(
      defineEventHandler((event) => {
        const code = byCode.get(event.node.req.socket)
        if (code) return takeSecret(event, secret, code)
        const isRight =
          secret.current !== null &&
          sameSecret(getHeader(event, 'authorization') ?? '', `Bearer ${secret.current}`)
        if (!isRight) throw createError({ statusCode: 401, statusMessage: 'The token is missing or wrong' })
      }),
    )
    .use(router)
  const listener = toNodeListener(app)
  if (!secure) return createServer(listener)
  const pskCallback = (socket: object, identity: string) => {
    if (identity === PAIRING_IDENTITY && secret.offered) byCode.set(socket, secret.offered)
    return secret.keyFor(identity)
  }
  return createSecureServer({ ...SECURE, pskCallback }, listener).on('tlsClientError', (_error, socket) => {
    if (byCode.has(socket)) secret.refused()
  })
}

/** Takes the secret that somebody gives who has the code; they may do nothing else. */
async function takeSecret(event: H3Event, secret: GatewaySecret, code: object) {
  if (event.method !== 'PUT' || event.path !== '/v1/secret')
    throw createError({ statusCode: 401, statusMessage: 'A code only gives a secret' })
  const given = (await bodyOf(event)).secret
  if (typeof given !== 'string' || given.length < SECRET_LENGTH)
    throw createError({ statusCode: 400, statusMessage: 'The secret is missing or too short' })
  if (!(await secret.take(given, code)))
    throw createError({ statusCode: 401, statusMessage: 'The code was used or is over' })
  return {}
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

function changes(event: H3Event, gateway: Gateway) {
  const stream = createEventStream(event)
  const stop = new AbortController()
  stream.onClosed(async () => stop.abort())
  void gateway.watch((change) => void stream.push(change), stop.signal)
  return stream.send()
}

/** What the caller asked for is no proposal, or cannot be done: they are told so. */
function refused(error: unknown): never {
  if (error instanceof MalformedProposal) throw createError({ statusCode: 400, statusMessage: error.message })
  if (error instanceof GatewayRefusal)
    throw createError({
      statusCode: 422,
      statusMessage: 'The gateway cannot do that',
      data: { words: error.message },
    })
  if (isError(error)) throw error
  // It is told why: the router is away, a file cannot be written.
  throw createError({
    statusCode: 503,
    statusMessage: 'The gateway cannot do that now',
    data: { words: error instanceof Error ? error.message : String(error) },
    cause: error,
  })
}

function sameSecret(given: string, wanted: string): boolean {
  const hash = (text: string) => createHash('sha256').update(text).digest()
  return timingSafeEqual(hash(given), hash(wanted))
}
