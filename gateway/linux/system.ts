import { spawn, type ChildProcess } from 'node:child_process'
import { setTimeout as pause } from 'node:timers/promises'
import { readIfThere } from '../atomic-file.ts'

/** What a plane needs of the machine that forwards the packets. */
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
}

/** What nft or ip said is wrong, in its own words; `isPassing` where the same may go well a moment later. */
export class ToolFault extends Error {
  constructor(
    message: string,
    readonly isPassing = false,
  ) {
    super(message)
  }
}

/**
 * Where the system's programs lie: another of the same name, in a folder of somebody's own, is not meant. nft
 * reads and prints times in the zone of its environment.
 */
export const SYSTEM = {
  PATH: '/usr/local/sbin:/usr/sbin:/usr/bin:/sbin:/bin',
  TZ: 'UTC',
  LC_ALL: 'C',
} as const

/** The longest that a program may take, in milliseconds. */
const LONGEST = 30_000
/** How often what may pass is tried, and how long it is waited in between, in milliseconds. */
const TRIES = 4
const PAUSE = 250
/** What the kernel says when something else was in its way. */
const PASSING =
  /Resource busy|Resource temporarily unavailable|Interrupted system call|Cannot allocate memory|No buffer space|Device or resource busy/

/** How long it is waited before a program that should run on and ended is begun again, in milliseconds. */
const AGAIN = 1000

/** This machine. */
export const LOCAL_SYSTEM: RouterSystem = {
  run: async (command, args, input = '') => {
    for (let tries = 1; ; tries++) {
      try {
        return await runOnce(command, args, input)
      } catch (error) {
        if (!(error instanceof ToolFault) || !error.isPassing || tries === TRIES) throw error
        await pause(PAUSE * tries)
      }
    }
  },
  read: readIfThere,
  follow: (command, args, printed, fault) => {
    let child: ChildProcess
    let isStopped = false
    const start = () => {
      child = spawn(command, args, { env: SYSTEM, stdio: ['ignore', 'pipe', 'ignore'] })
      child.stdout!.on('data', printed)
      child.once('error', fault)
      child.once('close', () => {
        if (!isStopped) setTimeout(start, AGAIN).unref()
      })
    }
    start()
    return () => {
      isStopped = true
      child.kill()
    }
  },
}

function runOnce(command: string, args: readonly string[], input: string): Promise<string> {
  return new Promise((resolve, reject) => {
    const child = spawn(command, args, { env: SYSTEM, timeout: LONGEST })
    const [out, err]: [Buffer[], Buffer[]] = [[], []]
    child.stdout.on('data', (chunk) => out.push(chunk as Buffer))
    child.stderr.on('data', (chunk) => err.push(chunk as Buffer))
    child.once('error', (error: NodeJS.ErrnoException) => {
      const isMissing = error.code === 'ENOENT'
      const remedy = `${command} is missing: install the package ${command === 'nft' ? 'nftables' : 'iproute2'}.`
      reject(new ToolFault(isMissing ? remedy : error.message, !isMissing))
    })
    child.once('close', (code, signal) => {
      if (code === 0) return resolve(Buffer.concat(out).toString())
      const said = Buffer.concat(err).toString().trim().split('\n')[0]
      if (signal)
        return reject(
          new ToolFault(
            `${command} ${args.join(' ')} took over ${LONGEST / 1000} s: what it was given is too much for this machine.`,
          ),
        )
      reject(
        new ToolFault(
          `${command} ${args.join(' ')}: ${said || `ended with ${code}`}`,
          PASSING.test(said ?? ''),
        ),
      )
    })
    // One that ends early takes no more input; why it did is told when it closes.
    child.stdin.on('error', () => {})
    child.stdin.end(input)
  })
}
