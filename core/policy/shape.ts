/**
 * Something wrong in a document: where ("rules[3].who.groups[0]", "" for the whole) and what, with the
 * remedy.
 */
export interface Fault {
  readonly path: string
  readonly message: string
}

/** The most faults of a document that are told: somebody who mends so many sends it again. */
export const MOST_FAULTS = 100

/** Reads one value at a path; what is wrong goes into `faults`, and a stand-in of the type comes back. */
export interface Reader<T> {
  (value: unknown, path: string, faults: Fault[]): T
  /** The value of a missing key; without it a missing key is a fault. */
  readonly missing?: () => T
}

/** A reader whose key may be missing. */
export function optional<T>(reader: Reader<T>, missing: () => T): Reader<T> {
  return Object.assign((value: unknown, path: string, faults: Fault[]) => reader(value, path, faults), {
    missing,
  })
}

/** An object with exactly these keys. */
export function record<T extends object>(shape: { readonly [K in keyof T]: Reader<T[K]> }): Reader<T> {
  const keys = Object.keys(shape) as (keyof T & string)[]
  return (value, path, faults) => {
    const object = isObject(value) ? value : null
    if (!object)
      faults.push({ path, message: `is ${show(value)}: it must be an object with ${keys.join(', ')}` })
    for (const key of Object.keys(object ?? {})) {
      if (faults.length >= MOST_FAULTS) break
      if (!Object.hasOwn(shape, key))
        faults.push({
          path: join(path, key),
          message: `is not a key that is known here: the keys are ${keys.join(', ')}`,
        })
    }
    const result: Partial<T> = {}
    for (const key of keys) {
      const reader = shape[key]
      if (object && Object.hasOwn(object, key)) result[key] = reader(object[key], join(path, key), faults)
      else if (reader.missing) result[key] = reader.missing()
      else if (object) faults.push({ path: join(path, key), message: 'is missing' })
    }
    return result as T
  }
}

/** The most entries of a list where nothing else is said. */
const MOST_ENTRIES = 20_000

/**
 * A list of at most so many entries; a missing one is empty. Once so many faults are found that no more are
 * told, it is read no further.
 */
export function list<T>(item: Reader<T>, most = MOST_ENTRIES): Reader<readonly T[]> {
  return optional(
    (value, path, faults) => {
      if (!Array.isArray(value)) {
        faults.push({ path, message: `is ${show(value)}: it must be a list` })
        return []
      }
      if (value.length > most) {
        faults.push({ path, message: `has ${value.length} entries: at most ${most} are taken` })
        return []
      }
      const entries: T[] = []
      for (let index = 0; index < value.length && faults.length < MOST_FAULTS; index++)
        entries.push(item(value[index], `${path}[${index}]`, faults))
      return entries
    },
    () => [],
  )
}

/** A boolean; a missing one is `missing`. */
export function flag(missing = false): Reader<boolean> {
  return optional(
    (value, path, faults) => {
      if (typeof value !== 'boolean')
        faults.push({ path, message: `is ${show(value)}: it must be true or false` })
      return value === true
    },
    () => missing,
  )
}

/**
 * A text that `read` turns into its canonical form, or `null` where it is none of these; `fault` then says
 * why.
 */
export function text(read: (text: string) => string | null, fault: (text: string) => string): Reader<string> {
  return (value, path, faults) => {
    if (typeof value !== 'string') {
      faults.push({ path, message: `is ${show(value)}: it must be a text` })
      return ''
    }
    const canonical = read(value)
    if (canonical === null) faults.push({ path, message: `${show(value)} ${fault(value)}` })
    return canonical ?? value
  }
}

/** One of some texts. */
export function oneOf<T extends string>(choices: readonly T[]): Reader<T> {
  return (value, path, faults) => {
    if (!choices.includes(value as T))
      faults.push({
        path,
        message: `is ${show(value)}: it must be ${choices.map((choice) => `"${choice}"`).join(' or ')}`,
      })
    return value as T
  }
}

/**
 * Whether the value is an object of keys and values (no list).
 *
 * @example isObject([]) // false
 */
export function isObject(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value)
}

/**
 * A value as a message names it: short, on one line.
 *
 * @example show({ a: 1 }) // 'an object'
 */
export function show(value: unknown): string {
  if (value === undefined) return 'missing'
  if (Array.isArray(value)) return 'a list'
  if (isObject(value)) return 'an object'
  const shown = typeof value === 'bigint' ? String(value) : (JSON.stringify(value) ?? typeof value)
  return shown.length > 60 ? `${shown.slice(0, 57)}…${shown.startsWith('"') ? '"' : ''}` : shown
}

const join = (path: string, key: string) => {
  const step = /^[\w-]+$/.test(key) ? key : show(key)
  return path === '' ? step : `${path}.${step}`
}
