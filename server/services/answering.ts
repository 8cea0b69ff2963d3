import { defineEventHandler, getHeader, getQuery, getRouterParam, readBody, setResponseStatus, type EventHandler, type H3Event } from 'h3'
import { ValidationError, type InferType, type Schema } from 'yup'
import { GatewayRefusal } from '../../gateway/protocol.ts'
import type { ErrorAnswer } from '../../shared/answers.ts'
import { context, type Context } from './context.ts'
import { ERRORS, Refused } from './errors.ts'

/** What a handler is given besides the event. */
export interface Request extends Context { readonly event: H3Event, readonly account: string }

/** A route: runs the handler and turns every error into an answer of the errors' table. Here, and only here. */
export function answering<T>(handler: (request: Request) => Promise<T>): EventHandler {
  return defineEventHandler(async (event): Promise<T | ErrorAnswer> => {
    const here = await context()
    try {
      return await handler({ ...here, event, account: String(event.context.account ?? '') })
    } catch (error) {
      return answerOf(event, error, here)
    }
  })
}

/** Answers an error: by its code where it is one of ours, as `internal` with a line in the log where it is not. */
export function answerOf(event: H3Event, error: unknown, { log }: Pick<Context, 'log'>): ErrorAnswer {
  const refused = refusalOf(error)
  if (refused.code === 'internal') log.error({ err: error, method: event.method, path: event.path }, 'request failed')
  setResponseStatus(event, ERRORS[refused.code].status)
  return { code: refused.code, message: refused.message, ...refused.faults.length > 0 && { faults: refused.faults } }
}

/** The body of a change, as its schema reads it. Throws `malformed` with every fault. */
export async function bodyOf<S extends Schema>(event: H3Event, schema: S): Promise<InferType<S>> {
  const body: unknown = await readBody(event).catch(() => {
    throw new Refused('malformed', 'It is no JSON.')
  })
  return await schema.validate(body ?? {}, { abortEarly: false }) as InferType<S>
}

/** The id in the path of the request. */
export function idOf(event: H3Event): string {
  return decodeURIComponent(getRouterParam(event, 'id') ?? '')
}

/** The mark of the entry as the sender knew it (RFC 9110, section 13.1.1), where it was sent. */
export function markIn(event: H3Event): string | undefined {
  return getHeader(event, 'if-match')?.replaceAll('"', '')
}

/** The query of a request, as its schema reads it. Throws `malformed` with every fault. */
export async function queryOf<S extends Schema>(event: H3Event, schema: S): Promise<InferType<S>> {
  return await schema.validate(getQuery(event), { abortEarly: false }) as InferType<S>
}

/** What a gateway answers. Throws `malformed` where it cannot do what it was asked, `gateway-away` where it does not answer. */
export function ofGateway<T>(answer: Promise<T>): Promise<T> {
  return answer.catch((error: unknown) => {
    throw error instanceof GatewayRefusal ? new Refused('malformed', error.message) : new Refused('gateway-away', error instanceof Error ? error.message : '')
  })
}

/** What is to stand in the place of something that goes, by the query: undefined = not said, `null` = nothing. */
export function insteadIn(event: H3Event): string | null | undefined {
  const { instead } = getQuery(event)
  return instead === undefined ? undefined : String(instead) || null
}

/** Whether the query says `name=true`. */
export function saysTrue(event: H3Event, name: string): boolean {
  return getQuery(event)[name] === 'true'
}

function refusalOf(error: unknown): Refused {
  if (error instanceof Refused) return error
  if (!(error instanceof ValidationError)) return new Refused('internal')
  const each = error.inner.length > 0 ? error.inner : [error]
  return new Refused('malformed', '', each.map(({ path, message }) => ({ path: path ?? '', message: message.replace(/^this /, '') })))
}
