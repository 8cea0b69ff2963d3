import { errorText } from '../../core/words/error-text.ts'
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
import { GatewayRefusal, type Gateway } from '../../protocol/gateway/gateway.ts'
import { MalformedProposal } from '../../protocol/gateway/gateway.ts'
import {
  GATEWAY_CALLS,
  methodOf,
  SIMULATION_CALLS,
  type ArgumentKind,
  type Call,
} from '../../protocol/gateway/gateway-calls.ts'
import { PAIRING_IDENTITY, type GatewaySecret } from './pairing.ts'
import { SECRET_LENGTH, SECURE } from '../../node/secure.ts'

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
  const add = (http: string, handler: (event: H3Event) => unknown) => {
    const [method, path] = http.split(' ') as [string, string]
    router.add(
      path,
      defineEventHandler(async (event) => {
        try {
          return await handler(event)
        } catch (error) {
          return refused(error)
        }
      }),
      method.toLowerCase() as RouterMethod,
    )
  }
  const addCalls = (table: Readonly<Record<string, Call>>, target: () => Promise<object>) => {
    for (const [name, call] of Object.entries(table))
      add(call.http, async (event) => {
        const args = await argumentsOf(call, event)
        return answered(call, await methodOf(await target(), name)(...args))
      })
  }
  add('GET /v1/changes', (event) => changes(event, gateway))
  addCalls(GATEWAY_CALLS, async () => gateway)
  addCalls(SIMULATION_CALLS, () => gateway.simulation())
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

/** Returns an answer as it is sent: an object, a list or `null`. */
function answered({ answersAs }: Call, answer: unknown): unknown {
  if (answersAs) return { [answersAs]: answer }
  return answer === undefined ? {} : answer
}

/** Reads the arguments of a call; what is not as the table says is refused with 400. */
async function argumentsOf({ http, takes }: Call, event: H3Event): Promise<unknown[]> {
  if (takes === 'body') return [await bodyOf(event)]
  if (takes === 'bytes') return [await bytesOf(event)]
  const named: Record<string, unknown> = http.startsWith('GET ') ? getQuery(event) : await bodyOf(event)
  return Object.entries(takes).map(([name, kind]) => argumentOf(name, kind, named[name]))
}

function argumentOf(name: string, kind: ArgumentKind, value: unknown): unknown {
  if (kind === 'any') return value
  if (kind === 'number') return Number(value) || 0
  if (typeof value === 'string') return value
  if (kind === 'optional' && (value === undefined || value === null)) return null
  throw createError({ statusCode: 400, statusMessage: `${name} must be text` })
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

/** Turns an error into the answer that tells the caller of it. */
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
    data: { words: errorText(error) },
    cause: error,
  })
}

function sameSecret(given: string, wanted: string): boolean {
  const hash = (text: string) => createHash('sha256').update(text).digest()
  return timingSafeEqual(hash(given), hash(wanted))
}
