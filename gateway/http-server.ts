import { createHash, timingSafeEqual } from 'node:crypto'
import { createServer, type Server } from 'node:http'
import { createApp, createError, createEventStream, createRouter, defineEventHandler, getHeader, readBody, toNodeListener, type H3Event } from 'h3'
import { GatewayRefusal } from './gateway.ts'
import type { Gateway, Proposal } from './protocol.ts'

/** The gateway's protocol over HTTP, as docs/gateway-protocol.md says; every call needs `Authorization: Bearer <token>`. */
export function gatewayServer(gateway: Gateway, token: string): Server {
  const router = createRouter()
    .get('/v1/status', defineEventHandler(() => gateway.status()))
    .get('/v1/sightings', defineEventHandler(() => gateway.sightings()))
    .get('/v1/evidence', defineEventHandler(() => gateway.evidence()))
    .get('/v1/changes', defineEventHandler(event => changes(event, gateway)))
    .post('/v1/check', defineEventHandler(async event => ({ faults: await gateway.check(await proposal(event)) })))
    .put('/v1/policy', defineEventHandler(async event => ({ faults: await gateway.enforce(await proposal(event)) })))
    .put('/v1/clock', defineEventHandler(async (event) => {
      const { instant } = await readBody<{ instant: string | null }>(event)
      await gateway.setClock(instant).catch(refused)
      return gateway.status()
    }))
  const app = createApp()
    .use(defineEventHandler((event) => {
      if (!sameSecret(getHeader(event, 'authorization') ?? '', `Bearer ${token}`)) throw createError({ statusCode: 401, statusMessage: 'The token is missing or wrong' })
    }))
    .use(router)
  return createServer(toNodeListener(app))
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
  if (error instanceof GatewayRefusal) throw createError({ statusCode: 422, statusMessage: error.message })
  throw error
}

function sameSecret(given: string, wanted: string): boolean {
  const hash = (text: string) => createHash('sha256').update(text).digest()
  return timingSafeEqual(hash(given), hash(wanted))
}
