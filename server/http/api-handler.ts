import {
  defineEventHandler,
  getHeader,
  getQuery,
  getRouterParam,
  setResponseStatus,
  type EventHandler,
  type H3Event,
} from 'h3'
import { ValidationError, type InferType, type Schema } from 'yup'
import type { HelperLimit } from '../../protocol/roles.ts'
import type { ErrorAnswer } from '../../protocol/answers.ts'
import { MOST_FAULTS } from '../../core/policy/shape.ts'
import type { Client } from './client.ts'
import { actingAs } from '../database/database.ts'
import { context, type Context } from './context.ts'
import { ERRORS, ApiError } from '../errors.ts'
import { refuseNul } from './body.ts'
import { ROUTES } from './api-routes.ts'
import { answerEarly } from './gentle-end.ts'
import { refuseUnlessMay, routeOf } from './needs.ts'
import type { Principal } from '../accounts/principal.ts'
import type { KnownPlace } from '../places/places.ts'
import type { RunningPlace } from '../places/running-place.ts'

export { bodyOf } from './body.ts'

/** The surroundings of a handler: the parts that run for the place of the request, and the context. */
export interface Request extends Context, Omit<KnownPlace, 'running'>, Omit<RunningPlace, 'stop'> {
  readonly event: H3Event
  readonly client: Client
  /** The account that asks; of open routes, empty where nobody is signed in. */
  readonly account: string
  /** The limit of a helper; `null` = none. */
  readonly limit: HelperLimit | null
  readonly principal: Principal | null
}

/** The facts that the guard finds out about each request. */
interface Guarded {
  readonly client: Client
  readonly principal?: Principal | null
  readonly place: KnownPlace
}

/**
 * A route: runs the handler for who may, and turns every error into an answer of the errors' table. Here, and
 * only here.
 */
export function apiHandler<T>(handler: (request: Request) => Promise<T>): EventHandler {
  return defineEventHandler(async (event): Promise<T | ErrorAnswer> => {
    const here = await context()
    try {
      const { client, principal = null, place } = event.context as unknown as Guarded
      refuseUnlessMay(event, principal, place.id)
      const { account = '', limit = null } = principal ?? {}
      if (ROUTES[routeOf(event)]!.heavy) await here.turns.take(event, account)
      const actor = { account: principal?.account ?? null, address: client.address }
      const sql = actingAs(actor, place.sql)
      return await handler(withPlace({ ...here, event, client, principal, account, limit, sql }, place))
    } catch (error) {
      if (!(error instanceof RunsElsewhere)) return answerOf(event, error, here)
      return here.peers
        .forward(event, (event.context as unknown as Guarded).place)
        .catch((fault: unknown) => answerOf(event, fault, here)) as Promise<ErrorAnswer>
    }
  })
}

/** The parts that only the process has that runs the place. */
const RUNNING = [
  'gateway',
  'router',
  'pairing',
  'trial',
  'link',
  'listLock',
  'keepLookups',
  'keepUsage',
] as const

/** Says that a handler needs a part that runs in another process. */
class RunsElsewhere extends Error {}

/** A request with its place; who takes what runs elsewhere has it answered there. */
function withPlace(
  rest: Context & Pick<Request, 'event' | 'client' | 'principal' | 'account' | 'limit' | 'sql'>,
  place: KnownPlace,
) {
  const { id, running } = place
  const request = { ...rest, id, hear: (heard: Parameters<KnownPlace['hear']>[0]) => place.hear(heard) }
  if (running) return { ...request, ...running }
  for (const name of RUNNING)
    Object.defineProperty(request, name, {
      get: () => {
        throw new RunsElsewhere()
      },
    })
  return request as Request
}

/**
 * Answers an error: by its code where it is one of ours, as `internal` with a line in the log where it is
 * not.
 */
export function answerOf(event: H3Event, error: unknown, { log }: Pick<Context, 'log'>): ErrorAnswer {
  const refused = refusalOf(error)
  if (refused.code === 'internal')
    log.error({ err: error, method: event.method, path: event.path }, 'request failed')
  setResponseStatus(event, ERRORS[refused.code].status)
  answerEarly(event.node.req, event.node.res)
  return {
    code: refused.code,
    message: refused.message,
    ...(refused.faults.length > 0 && { faults: refused.faults }),
  }
}

/** The id in the path of the request. */
export function idOf(event: H3Event): string {
  return decoded(getRouterParam(event, 'id') ?? '')
}

// A path or query that is no text is a fault of who sent it.
function decoded(text: string): string {
  try {
    const id = decodeURIComponent(text)
    refuseNul(id, 'id')
    return id
  } catch (error) {
    throw error instanceof ApiError
      ? error
      : new ApiError('malformed', '', [
          {
            path: 'id',
            message: 'is not a valid address: its percent signs must be followed by two hexadecimal digits',
          },
        ])
  }
}

/** The mark of the entry as the sender knew it (RFC 9110, section 13.1.1), where it was sent. */
export function markIn(event: H3Event): string | undefined {
  return getHeader(event, 'if-match')?.replaceAll('"', '')
}

/**
 * The query of a request, as its schema reads it.
 *
 * @throws ApiError `malformed` with every fault
 */
export async function queryOf<S extends Schema>(event: H3Event, schema: S): Promise<InferType<S>> {
  const query = getQuery(event)
  for (const [name, value] of Object.entries(query)) refuseNul(String(value), name)
  return (await schema.validate(query, { abortEarly: false })) as InferType<S>
}

/**
 * Returns the replacement of an entry that is deleted, by the query: undefined = not said, `null` = nothing.
 */
export function insteadIn(event: H3Event): string | null | undefined {
  const { instead } = getQuery(event)
  return instead === undefined ? undefined : String(instead) || null
}

/** Whether the query says `name=true`. */
export function saysTrue(event: H3Event, name: string): boolean {
  return getQuery(event)[name] === 'true'
}

function refusalOf(error: unknown): ApiError {
  if (error instanceof ApiError) return error
  if (!(error instanceof ValidationError)) return new ApiError('internal')
  const each = error.inner.length > 0 ? error.inner : [error]
  return new ApiError(
    'malformed',
    '',
    each
      .slice(0, MOST_FAULTS)
      .map(({ path, message }) => ({ path: path ?? '', message: message.replace(/^this /, '') })),
  )
}
