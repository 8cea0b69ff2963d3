import { spawn, type ChildProcess } from 'node:child_process'
import { setTimeout as pause } from 'node:timers/promises'
import { readIfThere } from '../../../node/atomic-file.ts'
import { attachedScript, NO_PROGRAM, SYSTEM } from './ssh/shell.ts'

/** The machine that forwards the packets, as a plane uses it. */
export interface RouterSystem {
  /**
   * Runs a program with a text as its input. What may pass is tried again.
   *
   * @returns what it printed
   * @throws ToolFault where it fails, is missing, or takes over half a minute
   */
  run(command: string, args: readonly string[], input?: string): Promise<string>
  /**
   * The text of a file; `null` where there is none yet.
   *
   * @throws FileFault
   */
  read(file: string): Promise<string | null>
  /**
   * Keeps a program running that prints where something happens, begun again where it ends.
   *
   * @param printed is called whenever it printed something
   * @param fault hears that it cannot be run
   * @returns ends it
   */
  follow(
    command: string,
    args: readonly string[],
    printed: () => void,
    fault: (error: unknown) => void,
  ): () => void
  /** The milliseconds between two looks at it. */
  readonly lookEveryMs: number
  /** The address under which it sees this machine; `null` where it is this machine. */
  controller(): Promise<string | null>
  /** By how many milliseconds its clock is ahead of this machine's. */
  aheadMs(): Promise<number>
  /** Hears that it can be reached again after it could not. */
  returned(heard: () => void): void
  /** Ends what runs on; nothing is asked of it afterwards. */
  stop(): void
}

/** Says that the router cannot be reached. */
export class AwayFault extends Error {
  constructor(
    message: string,
    readonly host: string,
    /** Whether it is there and does not let our key in. */
    readonly isLocked = false,
  ) {
    super(message)
  }
}

/** Says in the words of nft or ip what is wrong; `isPassing` where the same may succeed a moment later. */
export class ToolFault extends Error {
  constructor(
    message: string,
    readonly isPassing = false,
  ) {
    super(message)
  }
}

/** Says that a program cannot be used at all, or not in time, whatever its input. */
export class ToolUnusable extends ToolFault {}

/** The longest time that a program may take. */
export const MAX_RUN_MS = 30_000
/** The number of tries of a command that failed for a passing reason, and the time between them. */
const TRIES = 4
const RETRY_AFTER_MS = 250
/** The errors of the kernel when something else was in its way. */
const PASSING =
  /Resource busy|Resource temporarily unavailable|Interrupted system call|Cannot allocate memory|No buffer space|Device or resource busy/

/** The time after which a program that should run on, and ended, is started again. */
export const RESTART_AFTER_MS = 1000

/** Does again what may pass, a few times. */
export async function patiently<T>(work: () => Promise<T>): Promise<T> {
  for (let tries = 1; ; tries++) {
    try {
      return await work()
    } catch (error) {
      if (!(error instanceof ToolFault) || !error.isPassing || tries === TRIES) throw error
      await pause(RETRY_AFTER_MS * tries)
    }
  }
}

/** Returns the output of a program, or throws its error: it `ended` with a code, or by a signal. */
export function outcomeOf(
  words: string,
  ended: { readonly code: number | null; readonly signal: string | null },
  out: readonly Buffer[],
  err: readonly Buffer[],
): string {
  if (ended.code === 0) return Buffer.concat(out).toString()
  const said = Buffer.concat(err).toString().trim().split('\n')[0]
  if (ended.signal)
    throw new ToolUnusable(
      `${words} took over ${MAX_RUN_MS / 1000} s: what it was given is too much for this machine.`,
    )
  throw new ToolFault(`${words}: ${said || `ended with ${ended.code}`}`, PASSING.test(said ?? ''))
}

/** Says that a program is missing, and what to install. */
export const missingWords = (command: string) =>
  `${command} is missing: install the package ${command === 'nft' ? 'nftables' : 'iproute2'}.`

/** This machine. */
export const LOCAL_SYSTEM: RouterSystem = {
  run: (command, args, input = '') => patiently(() => runOnce(command, args, input)),
  read: readIfThere,
  lookEveryMs: 1000,
  controller: () => Promise.resolve(null),
  aheadMs: () => Promise.resolve(0),
  returned: () => {},
  stop: () => {},
  follow: (command, args, printed, fault) => {
    let child: ChildProcess
    let isStopped = false
    const start = () => {
      child = spawn('sh', ['-c', attachedScript(command, args)], {
        env: SYSTEM,
        stdio: ['pipe', 'pipe', 'ignore'],
      })
      child.stdout!.on('data', printed)
      child.stdin!.on('error', () => {})
      child.once('error', fault)
      child.once('close', (code) => {
        if (isStopped) return
        if (code === NO_PROGRAM) fault(new ToolUnusable(missingWords(command)))
        setTimeout(start, RESTART_AFTER_MS).unref()
      })
    }
    start()
    return () => {
      isStopped = true
      child.stdin!.end()
    }
  },
}

function runOnce(command: string, args: readonly string[], input: string): Promise<string> {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, { env: SYSTEM, timeout: MAX_RUN_MS })
    const [out, err]: [Buffer[], Buffer[]] = [[], []]
    child.stdout.on('data', (chunk) => out.push(chunk as Buffer))
    child.stderr.on('data', (chunk) => err.push(chunk as Buffer))
    child.once('error', (error: NodeJS.ErrnoException) => {
      const isMissing = error.code === 'ENOENT'
      reject(new ToolUnusable(isMissing ? missingWords(command) : error.message, !isMissing))
    })
    child.once('close', (code, signal) => {
      try {
        resolve(outcomeOf(`${command} ${args.join(' ')}`, { code, signal }, out, err))
      } catch (error) {
        reject(error as Error)
      }
    })
    // One that ends early takes no more input; why it did is told when it closes.
    child.stdin.on('error', () => {})
    child.stdin.end(input)
  })
}
