/**
 * The folders of the system's programs: another program of the same name, in a folder of somebody's own, is
 * not meant. nft reads and prints times in the zone of its environment.
 */
export const SYSTEM = {
  PATH: '/usr/local/sbin:/usr/sbin:/usr/bin:/sbin:/bin',
  TZ: 'UTC',
  LC_ALL: 'C',
} as const

/** The message and the exit status of a bound key that refuses a command (POSIX, section 2.8.2). */
export const REFUSED = { code: 126, words: 'not among what this key may run' } as const
/** The exit status of the shell where a program is missing (POSIX, section 2.8.2). */
export const NO_PROGRAM = 127
/** The exit status of a line that reads a file which is missing. */
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

/**
 * A script that runs a program until it ends, or until its own input does: what only prints would not notice
 * that nobody listens any more, and stay for ever.
 */
export const attachedScript = (command: string, args: readonly string[]) =>
  [
    'exec 3<&0',
    `${[command, ...args].map(quoted).join(' ')} & program=$!`,
    '(read end <&3; kill $program) & watch=$!',
    'wait $program',
    'code=$?',
    'kill $watch',
    'exit $code',
  ].join('; ')

/** The line that prints a file, or ends with `NO_FILE`. */
export const readingLine = (file: string) =>
  `if [ -e ${quoted(file)} ]; then cat ${quoted(file)}; else exit ${NO_FILE}; fi`
