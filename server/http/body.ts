import { getHeader, type H3Event } from 'h3'
import type {
  InferType,
  Schema,
  SchemaDescription,
  SchemaInnerTypeDescription,
  SchemaObjectDescription,
} from 'yup'
import { BODY, ROUTES } from './api-routes.ts'
import { ApiError } from '../errors.ts'
import { routeOf } from './needs.ts'

/** The time that a body may take, and the fewest bytes a second that a long one must bring. */
const BODY_PATIENCE_MS = 20_000
const SLOWEST = 20_000
/**
 * The deepest nesting of a body, the most entries of a list whose form says nothing, and the most keys
 * too many.
 */
const [DEEPEST, MOST_ENTRIES, MOST_STRANGE] = [30, 1000, 20]
/** The fewest bytes of a body for each list or object in it, and the bytes with which these begin. */
const [BYTES_EACH, BRACKET, BRACE] = [20, 91, 123]

/**
 * The body of a change, as its schema reads it; no longer than its route takes.
 *
 * @throws ApiError `malformed` with every fault, `too-large`, `too-slow`
 */
export async function bodyOf<S extends Schema>(event: H3Event, schema: S): Promise<InferType<S>> {
  const text = await textOf(event, BODY[ROUTES[routeOf(event)]!.takes ?? 'usual'])
  let body: unknown
  try {
    body = text.trim() === '' ? {} : JSON.parse(text)
  } catch {
    throw new ApiError('malformed', 'It is not JSON.')
  }
  refuseNul(text, 'body')
  refuseMuch(schema, body)
  return (await schema.validate(body ?? {}, { abortEarly: false, strict: false })) as InferType<S>
}

/**
 * Reads a body as it comes, so that one that is too long or too slow is not taken whole first. The connection
 * of such a one ends.
 */
function textOf(event: H3Event, longest: number): Promise<string> {
  const request = event.node.req
  const tooLarge = () =>
    new ApiError('too-large', `At most ${longest.toLocaleString('en')} bytes are taken here.`)
  return new Promise((resolve, reject) => {
    const parts: Buffer[] = []
    let [length, nested] = [0, 0]
    const settle = (work: () => void) => {
      clearInterval(timer)
      request.removeAllListeners('data').removeAllListeners('end').removeAllListeners('error')
      work()
    }
    const fail = (error: unknown) =>
      settle(() => {
        // The rest of the body is thrown away until the connection ends.
        request.resume()
        reject(error)
      })
    const begun = performance.now()
    const timer = setInterval(() => {
      if (performance.now() - begun > BODY_PATIENCE_MS + (length / SLOWEST) * 1000)
        fail(new ApiError('too-slow'))
    }, 1000)
    if (Number(getHeader(event, 'content-length') ?? 0) > longest) return fail(tooLarge())
    request.on('data', (part: Buffer) => {
      length += part.length
      for (let at = 0; at < part.length; at++) if (part[at] === BRACKET || part[at] === BRACE) nested++
      if (length > longest) return fail(tooLarge())
      if (nested > longest / BYTES_EACH)
        return fail(
          new ApiError(
            'too-large',
            `At most ${(longest / BYTES_EACH).toLocaleString('en')} lists and objects are taken here.`,
          ),
        )
      parts.push(part)
    })
    request.on('end', () => settle(() => resolve(Buffer.concat(parts).toString())))
    request.on('error', () => fail(new ApiError('malformed', 'The request broke off.')))
  })
}

/**
 * No text that anything here means has the character NUL, and a database takes none.
 *
 * @throws ApiError `malformed`
 */
export function refuseNul(text: string, path: string): void {
  if (/\0|\\u0000/.test(text))
    throw new ApiError('malformed', '', [{ path, message: 'holds the character NUL: leave it out' }])
}

/**
 * Refuses a body that holds more than its form takes, before anything of it is validated: every entry of a
 * list would be, however many there are.
 *
 * @throws ApiError `malformed`
 */
function refuseMuch(schema: Schema, body: unknown): void {
  if (isDeep(body)) throw new ApiError('malformed', `It is nested deeper than ${DEEPEST} levels.`)
  const fault = muchIn(schema.describe(), body, '')
  if (fault) throw new ApiError('malformed', '', [fault])
}

/** Whether a value is nested deeper than anything here is; looked through level by level. */
function isDeep(value: unknown): boolean {
  let level: object[] = isNested(value) ? [value] : []
  for (let depth = 0; level.length > 0; depth++) {
    if (depth > DEEPEST) return true
    level = level.flatMap((one) => Object.values(one).filter(isNested))
  }
  return false
}
const isNested = (value: unknown): value is object => typeof value === 'object' && value !== null

/**
 * Returns the part of a value of which a form takes fewer; `null` = none. Forms of the policy check that
 * themselves.
 */
function muchIn(
  form: SchemaDescription,
  value: unknown,
  path: string,
): { path: string; message: string } | null {
  if (Array.isArray(value) && form.type === 'array') {
    const limit = form.tests.find(({ name }) => name === 'max')?.params?.max
    const most = typeof limit === 'number' ? limit : MOST_ENTRIES
    if (value.length > most)
      return { path, message: `has ${value.length} entries: at most ${most} are taken` }
    const { innerType } = form as SchemaInnerTypeDescription
    if (!innerType || Array.isArray(innerType)) return null
    return firstOf(value, (one, index) => muchIn(innerType as SchemaDescription, one, `${path}[${index}]`))
  }
  if (isNested(value) && !Array.isArray(value) && form.type === 'object') {
    const { fields } = form as SchemaObjectDescription
    const strange = Object.keys(value).length - Object.keys(fields).length
    if (strange > MOST_STRANGE)
      return { path, message: `has ${strange} keys more than there are: leave out what is not known here` }
    return firstOf(Object.entries(fields), ([name, field]) =>
      muchIn(
        field as SchemaDescription,
        (value as Record<string, unknown>)[name],
        path ? `${path}.${name}` : name,
      ),
    )
  }
  // A value of another kind is quoted in its fault.
  if (form.type !== 'mixed' && hasMore(value, MOST_STRANGE))
    return { path, message: `is ${Array.isArray(value) ? 'a list' : 'an object'}: it cannot be one` }
  return null
}

/** Whether there are more than so many values within a value. */
function hasMore(value: unknown, most: number): boolean {
  const within: unknown[] = [value]
  for (let at = 0; at < within.length && within.length <= most + 1; at++)
    if (isNested(within[at]))
      for (const one of Object.values(within[at] as object).slice(0, most + 1)) within.push(one)
  return within.length > most + 1
}

function firstOf<T, F>(all: readonly T[], find: (one: T, index: number) => F | null): F | null {
  for (const [index, one] of all.entries()) {
    const found = find(one, index)
    if (found !== null) return found
  }
  return null
}
