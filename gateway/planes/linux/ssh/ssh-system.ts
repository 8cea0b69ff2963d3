import { Mutex } from 'async-mutex'
import ssh2, { type Client, type ClientChannel, type ConnectConfig } from 'ssh2'
import {
  RESTART_AFTER_MS,
  AwayFault,
  MAX_RUN_MS,
  missingWords,
  outcomeOf,
  patiently,
  ToolFault,
  ToolUnusable,
  type RouterSystem,
} from '../system.ts'
import { attachedScript, lineOf, NO_FILE, NO_PROGRAM, readingLine, REFUSED } from './shell.ts'

/** The way to reach a router over SSH (RFC 4251). */
export interface SshSetting {
  readonly host: string
  readonly port: number
  readonly user: string
  /** The private key, as OpenSSH writes it; or the password of the user, to be let in without. */
  readonly proof: { readonly privateKey: string } | { readonly password: string }
  /** Whether a host key (RFC 4253, section 6.6) is the router's. */
  readonly isTrusted: (key: Buffer) => boolean
  /** The line that lets this machine in, and the file in which the host key is pinned, for what is said. */
  readonly keyLine: string
  readonly hostKeyFile: string
}

/** For how long what was read of its clock counts, in milliseconds. */
const CLOCK_LIFE_MS = 10_000

/** The time that the router has to let us in, and the time between two signs of life that it is asked for. */
const SIGN_IN_MS = 8000
const BEAT_MS = 3000
const SILENT_BEATS = 2

/** Prints from where the shell is spoken to (sshd(8), section ENVIRONMENT). */
export const SAY_CONNECTION = 'echo $SSH_CONNECTION'

/** The exit status of a line, and its output. */
interface Ended {
  readonly code: number | null
  readonly signal: string | null
  readonly out: readonly Buffer[]
  readonly err: readonly Buffer[]
}

/**
 * A router that has only a shell, driven over one lasting connection, which is made again where it breaks.
 */
export class SshSystem implements RouterSystem {
  readonly lookEveryMs = 2000
  #client: Promise<Client> | null = null
  /** Between which milliseconds its clock is ahead of this machine's. */
  #ahead: readonly [least: number, most: number] = [-Infinity, Infinity]
  #clockReadAt = -Infinity
  #wasThere = false
  #isStopped = false
  /**
   * One command at a time: Dropbear 2022.83 takes the end of one for the end of another that is just begun, and
   * breaks the connection.
   */
  readonly #turn = new Mutex()
  readonly #listeners: (() => void)[] = []

  constructor(private readonly setting: SshSetting) {}

  run(command: string, args: readonly string[], input = ''): Promise<string> {
    const words = [command, ...args].join(' ')
    return patiently(async () => {
      const { code, signal, out, err } = await this.#exec(lineOf(command, args), input)
      if (code === NO_PROGRAM) throw new ToolUnusable(missingWords(command))
      if (code === REFUSED.code && Buffer.concat(err).toString().includes(REFUSED.words))
        throw new ToolUnusable(
          `our key may not do this on ${this.setting.host}: it is bound to what is sent there`,
        )
      return outcomeOf(words, { code, signal }, out, err)
    })
  }

  async read(file: string): Promise<string | null> {
    const { code, signal, out, err } = await this.#exec(readingLine(file), '')
    return code === NO_FILE ? null : outcomeOf(`cat ${file}`, { code, signal }, out, err)
  }

  follow(
    command: string,
    args: readonly string[],
    printed: () => void,
    fault: (error: unknown) => void,
  ): () => void {
    let channel: ClientChannel | null = null
    let isStopped = false
    const again = () => {
      if (!isStopped && !this.#isStopped) setTimeout(start, RESTART_AFTER_MS).unref()
    }
    const start = () => {
      this.#open(lineOf('sh', ['-c', attachedScript(command, args)]), (opened) => {
        channel = opened
        opened.on('data', printed).on('error', () => {})
        opened.stderr.on('data', () => {})
        opened.once('close', again)
        if (isStopped) opened.close()
      }).catch((error: unknown) => {
        if (!(error instanceof AwayFault)) fault(error)
        again()
      })
    }
    start()
    return () => {
      isStopped = true
      channel?.close()
    }
  }

  /** By what the SSH server says of the connection. */
  async controller(): Promise<string | null> {
    const said = (await this.run('sh', ['-c', SAY_CONNECTION])).trim()
    const [address] = said.split(' ')
    if (!address) throw new ToolFault('the SSH server does not say from where it is spoken to')
    return address.replace(/^::ffff:/, '')
  }

  /**
   * Small routers tell the second alone. Each answer leaves a second in which the truth lies; together they say
   * it to the time that an answer takes, until the clock is set.
   */
  async aheadMs(): Promise<number> {
    const asked = Date.now()
    if (asked < this.#clockReadAt + CLOCK_LIFE_MS && asked >= this.#clockReadAt) return middleOf(this.#ahead)
    const seconds = Number(await this.run('date', ['-u', '+%s']))
    const answered = Date.now()
    if (!Number.isInteger(seconds)) throw new ToolFault('date -u +%s does not print the time')
    const [least, most] = [seconds * 1000 - answered, seconds * 1000 + 1000 - asked]
    const both = [Math.max(least, this.#ahead[0]), Math.min(most, this.#ahead[1])] as const
    this.#ahead = both[0] <= both[1] ? both : [least, most]
    this.#clockReadAt = asked
    return middleOf(this.#ahead)
  }

  returned(heard: () => void): void {
    this.#listeners.push(heard)
  }

  stop(): void {
    this.#isStopped = true
    void this.#client?.then((client) => client.end()).catch(() => {})
  }

  /** Runs a line in the router's shell. */
  #exec(line: string, input: string): Promise<Ended> {
    return this.#open(
      line,
      (channel) =>
        new Promise<Ended>((resolve, reject) => {
          const [out, err]: [Buffer[], Buffer[]] = [[], []]
          let ended: Pick<Ended, 'code' | 'signal'> | null = null
          const late = setTimeout(() => {
            ended = { code: null, signal: 'TERM' }
            channel.close()
          }, MAX_RUN_MS)
          channel.on('data', (chunk: Buffer) => out.push(chunk))
          channel.stderr.on('data', (chunk: Buffer) => err.push(chunk))
          channel.on('exit', (code: number | null, signal?: string) => {
            ended ??= { code, signal: signal ?? null }
          })
          channel.once('close', () => {
            clearTimeout(late)
            if (ended) resolve({ ...ended, out, err })
            else reject(this.#away('broke the connection'))
          })
          channel.on('error', () => {})
          channel.end(input)
        }),
    )
  }

  /**
   * Opens a channel that runs a line; the next is opened once `opened` is done with it. What it says may come
   * with its opening, so that who listens does so before anything else is done.
   */
  #open<T>(line: string, opened: (channel: ClientChannel) => T | Promise<T>): Promise<T> {
    return this.#turn.runExclusive(async () => {
      const connected = this.#connected()
      const client = await connected
      return new Promise<T>((resolve, reject) => {
        const refused = ({ message }: Error) =>
          reject(
            this.#client === connected
              ? new ToolFault(`${this.setting.host} runs nothing more just now: ${message}`, true)
              : this.#away('broke the connection'),
          )
        try {
          client.exec(line, (error, channel) => {
            if (error) return refused(error)
            endWith(client, channel)
            resolve(opened(channel))
          })
        } catch (error) {
          refused(error as Error)
        }
      })
    })
  }

  #connected(): Promise<Client> {
    if (this.#isStopped) return Promise.reject(this.#away('is let alone: the gateway stops'))
    if (!this.#client) {
      const client = this.#connect()
      this.#client = client
      client.catch(() => this.#forget(client))
    }
    return this.#client
  }

  #away(what: string, isLocked = false): AwayFault {
    return new AwayFault(`${this.setting.host} ${what}.`, this.setting.host, isLocked)
  }

  #forget(client: Promise<Client>): void {
    if (this.#client === client) this.#client = null
  }

  #connect(): Promise<Client> {
    const { host, port, user, proof, isTrusted, keyLine, hostKeyFile } = this.setting
    let isOther = false
    const client = new ssh2.Client()
    const config: ConnectConfig = {
      host,
      port,
      username: user,
      ...proof,
      // Some servers ask for a password in words of their own (RFC 4256).
      tryKeyboard: 'password' in proof,
      // The counts of the table are long and repeat much, so that they are packed.
      algorithms: { compress: ['zlib@openssh.com', 'zlib', 'none'] },
      hostVerifier: (key: Buffer) => {
        isOther = !isTrusted(key)
        return !isOther
      },
      readyTimeout: SIGN_IN_MS,
      keepaliveInterval: BEAT_MS,
      keepaliveCountMax: SILENT_BEATS,
    }
    const made = new Promise<Client>((resolve, reject) => {
      client.once('ready', () => {
        // Each command waits for the answer to the one before it.
        client.setNoDelay(true)
        // It may have been restarted, with another time.
        this.#clockReadAt = -Infinity
        if (this.#wasThere) for (const heard of this.#listeners) heard()
        this.#wasThere = true
        resolve(client)
      })
      client.on('keyboard-interactive', (_name, _words, _language, asked, answer) =>
        answer(asked.map(() => ('password' in proof ? proof.password : ''))),
      )
      client.on('error', (error) => {
        const { level } = error as { level?: string }
        if (isOther)
          reject(
            this.#away(
              `shows another host key than the one that was pinned: somebody may be in between. Where it was set up anew, delete ${hostKeyFile}`,
            ),
          )
        else if (level === 'client-authentication')
          reject(
            this.#away(
              'password' in proof
                ? `does not let ${user} in with this password`
                : `does not let ${user} in with this key. Add it to the authorized keys there: ${keyLine}`,
              true,
            ),
          )
        else reject(this.#away(`cannot be reached: ${whyOf(error, port)}`))
      })
      client.once('close', () => {
        reject(this.#away('ended the connection'))
        this.#forget(made)
      })
    })
    client.connect(config)
    return made
  }
}

/**
 * Has a channel be over with its connection: closing it afterwards, ssh2 (1.17) would write to what is
 * gone, and throw.
 */
function endWith(client: Client, channel: ClientChannel): void {
  const { outgoing } = channel as ClientChannel & { readonly outgoing: { state: string } }
  const over = () => {
    outgoing.state = 'closed'
  }
  client.once('end', over).once('close', over)
  channel.once('close', () => client.off('end', over).off('close', over))
}

/** Why there is no connection, in words. */
function whyOf(error: Error, port: number): string {
  const { code = '', level = '' } = error as { code?: string; level?: string }
  if (code === 'ECONNREFUSED') return `nothing listens on its port ${port}. Check that its SSH server runs`
  if (code === 'ECONNRESET' || code === 'EPIPE') return 'it broke the connection off'
  if (code === 'ENOTFOUND' || code === 'EAI_AGAIN') return 'no device of this network has that name'
  if (level === 'client-timeout' || ['ETIMEDOUT', 'EHOSTUNREACH', 'ENETUNREACH'].includes(code))
    return 'it does not answer. Check its address, and that it is on'
  return error.message
}

const middleOf = ([least, most]: readonly [number, number]) => (least + most) / 2
