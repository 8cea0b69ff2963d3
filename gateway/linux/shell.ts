import { SYSTEM } from './system.ts'

/** What a key that is bound says to what it may not run, and ends with (POSIX, section 2.8.2). */
export const REFUSED = { code: 126, words: 'not among what this key may run' } as const
/** What a line that reads a file ends with where the file is not there. */
export const NO_FILE = 3

const PLAIN = /^[\w%+,./:=@-]+$/

/** A text as one word of a shell (POSIX, section 2.2.2). */
export function quoted(text: string): string {
  return PLAIN.test(text) ? text : `'${text.replaceAll("'", "'\\''")}'`
}

/** The variables that each program is started with, as they stand before it. */
export const ENVIRONMENT = Object.entries(SYSTEM)
  .map(([name, value]) => `${name}=${quoted(value)}`)
  .join(' ')

/** The line that runs a program. */
export const lineOf = (command: string, args: readonly string[]) =>
  [ENVIRONMENT, command, ...args.map(quoted)].join(' ')

/** The line that prints a file, or ends with `NO_FILE`. */
export const readingLine = (file: string) =>
  `if [ -e ${quoted(file)} ]; then cat ${quoted(file)}; else exit ${NO_FILE}; fi`
