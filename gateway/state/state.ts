import { readIfThere } from '../../node/atomic-file.ts'

/** The files of a state folder. */
export const STATE_FILES = {
  policy: 'policy.json',
  open: 'known-open.json',
  settings: 'settings.json',
  numbers: 'numbers.json',
  lookups: 'lookups.jsonl',
  requests: 'requests.json',
  usage: 'usage.jsonl',
  allowances: 'allowances.json',
  clock: 'clock-known',
  secret: 'secret',
} as const

/** A file that could not be read: which, why, and what to do. */
export interface Damage {
  readonly file: string
  readonly words: string
}

/** The value of a file, and the damage that hid it. */
export interface ReadState<T> {
  readonly value: T
  readonly damage: Damage | null
}

/** Reads a file of JSON that the gateway can begin anew, with what it begins with. */
export async function readOrBegin<T>(
  file: string,
  read: (text: string) => T | null,
  first: T,
): Promise<ReadState<T>> {
  const damaged = (why: string): ReadState<T> => ({
    value: first,
    damage: {
      file,
      words: `${why}. It is begun anew; what was chosen or noted there has to be chosen again`,
    },
  })
  try {
    const text = await readIfThere(file)
    if (text === null) return { value: first, damage: null }
    const value = read(text)
    return value === null ? damaged('holds something else') : { value, damage: null }
  } catch (error) {
    return damaged(error instanceof SyntaxError ? `is damaged: ${error.message}` : reasonOf(error))
  }
}

/** Returns why something failed, as the end of a sentence. */
export const reasonOf = (error: unknown) =>
  error instanceof Error ? error.message.replace(/\.$/, '') : String(error)
