import { createHash, timingSafeEqual } from 'node:crypto'
import { createServer, type Server } from 'node:http'
import { createServer as createSecureServer } from 'node:https'
import { createApp, createError, createEventStream, createRouter, defineEventHandler, getHeader, getQuery, readBody, toNodeListener, type H3Event } from 'h3'
import { GatewayRefusal, type Gateway, type Pretence, type Proposal } from './protocol.ts'
import { IDENTITY, SECURE } from './secure.ts'

/** The gateway's protocol over HTTP, as docs/gateway-protocol.md says; every call needs `Authorization: Bearer <token>`. `secure` = over TLS by that token. */
export function gatewayServer(gateway: Gateway, token: string, secure = false): Server {
  const router = createRouter()
    .get('/v1/status', defineEventHandler(() => gateway.status()))
    .get('/v1/sightings', defineEventHandler(() => gateway.sightings()))
    .get('/v1/evidence', defineEventHandler(() => gateway.evidence()))
    .get('/v1/lookups', defineEventHandler((event) => {
      const { since } = getQuery(event)
      return gateway.lookups(since === undefined ? null : String(since)).catch(refused)
    }))
    .get('/v1/decision', defineEventHandler((event) => {
      const { mac, at } = getQuery(event)
      return gateway.decision(String(mac), String(at)).catch(refused)
    }))
    .get('/v1/page', defineEventHandler(async (event) => {
      const { mac, name } = getQuery(event)
      return { html: await gateway.page(String(mac), String(name)).catch(refused) }
    }))
    .put('/v1/settings', defineEventHandler(async event => ({ faults: await gateway.set(await readBody<unknown>(event)) })))
    .get('/v1/changes', defineEventHandler(event => changes(event, gateway)))
    .post('/v1/check', defineEventHandler(async event => ({ faults: await gateway.check(await proposal(event)) })))
    .put('/v1/policy', defineEventHandler(async event => ({ faults: await gateway.enforce(await proposal(event)) })))
    .put('/v1/overrides', defineEventHandler(async (event) => {
      const { overrides, digest } = await readBody<{ overrides: unknown, digest: string }>(event)
      return { faults: await gateway.amend(overrides, String(digest)) }
    }))
    .put('/v1/clock', defineEventHandler(async (event) => {
      const { instant } = await readBody<{ instant: string | null }>(event)
      await gateway.setClock(instant).catch(refused)
      return gateway.status()
    }))
    .put('/v1/send', defineEventHandler(async (event) => {
      const { mac, to } = await readBody<{ mac: string, to: string }>(event)
      return gateway.send(String(mac), String(to)).catch(refused)
    }))
    .put('/v1/pretend', defineEventHandler(async (event) => {
      const { trouble } = await readBody<{ trouble: Pretence }>(event)
      await gateway.pretend(trouble).catch(refused)
      return {}
    }))
    .put('/v1/use', defineEventHandler(async (event) => {
      const { mac, app } = await readBody<{ mac: string, app: string }>(event)
      await gateway.useApp(mac, app).catch(refused)
      return {}
    }))
  const app = createApp()
    .use(defineEventHandler((event) => {
      if (!sameSecret(getHeader(event, 'authorization') ?? '', `Bearer ${token}`)) throw createError({ statusCode: 401, statusMessage: 'The token is missing or wrong' })
    }))
    .use(router)
  const listener = toNodeListener(app)
  return secure ? createSecureServer({ ...SECURE, pskCallback: (_socket, identity) => identity === IDENTITY ? Buffer.from(token) : null }, listener) : createServer(listener)
}

async function proposal(event: H3Event): Promise<Proposal> {
  const body = await readBody<Partial<Proposal>>(event)
  if (typeof body?.digest !== 'string' || !('document' in body)) throw createError({ statusCode: 400, statusMessage: 'A proposal has a document and its digest' })
  return { document: body.document, digest: body.digest }
}

function changes(event: H3Event, gateway: Gateway) {
  const stream = createEventStream(event)
  const stop = new AbortController()
  stream.onClosed(async () => stop.abort())
  void gateway.watch(change => void stream.push(change), stop.signal)
  return stream.send()
}

function refused(error: unknown): never {
  if (error instanceof GatewayRefusal) throw createError({ statusCode: 422, statusMessage: 'The gateway cannot do that', data: { words: error.message } })
  throw error
}

function sameSecret(given: string, wanted: string): boolean {
  const hash = (text: string) => createHash('sha256').update(text).digest()
  return timingSafeEqual(hash(given), hash(wanted))
}
