import packet from 'dns-packet'
import { closedAnswer } from './closed-answer.ts'
import { Doors, plainAddress, type Asker, type Origin } from './doors.ts'
import { questionsKnown } from './questions.ts'
import type { At } from './upstream-setting.ts'
import { upstreamsAt, type Asking } from './upstream.ts'
import {
  aged,
  bare,
  contentOf,
  FORMERR,
  LONGEST_LIFE,
  readQuery,
  REFUSED,
  SERVFAIL,
  type Content,
} from './wire.ts'
import type { Ruling } from './ruling.ts'

/** The surroundings of a resolver. */
export interface ResolverSetting {
  /** The upstreams for all other names, asked one after the other. */
  readonly upstreams: readonly At[]
  /**
   * Decides about a name (ASCII, lower case, no final dot) for whoever asks, from an address; `aliasOf` = the
   * name that was asked for and leads there, `null` = this one was.
   *
   * @throws Error where that cannot be told
   */
  rule(name: string, asker: Asker, from: string, aliasOf: string | null): Ruling
  /** Whether a look-up may come from an address; what may not is dropped. */
  isExpected(from: string): boolean
  /**
   * Returns a text that names the sender: the same for all addresses of one device, as far as that is
   * known.
   */
  clientOf(asker: Asker, from: string): string
  /** Whether a name may not lead to one of the addresses, which are of this network. */
  isRefused(name: string, addresses: readonly string[]): boolean
  /**
   * Told of the addresses that a forwarded name has, before they are answered to anybody for the first time;
   * the answer may be given again for a minute.
   */
  resolved(name: string, addresses: readonly string[]): Promise<void> | void
  /** Told when an upstream answers nothing any more, and when it answers again. */
  upstream(host: string, answers: boolean): void
  fault(error: unknown): void
}

/** Answers look-ups. */
export interface Resolver {
  /**
   * Answers an asker on a port, UDP and TCP, IPv4 and IPv6: one that is free (0), or a given one.
   *
   * @returns which port that is
   * @throws Error where that is taken
   */
  open(asker: Asker, port?: number): Promise<number>
  /** Answers an asker no longer. */
  close(asker: Asker): void
  /**
   * The addresses of a name of both versions, asked for by the resolver itself; none where no upstream
   * answers.
   */
  addressesOf(name: string): Promise<readonly string[]>
  stop(): void
}

/** The longest time for which an upstream's answer is given again without asking anew. */
const MAX_CACHE_SECONDS = 60
/**
 * The most questions of one client, of all unknown devices, and of all that are worked on; more are
 * dropped. Who makes up addresses takes no turn from devices of the policy.
 */
const PER_CLIENT = 200
const OF_UNKNOWN = 1000
const ALTOGETHER = 5000
/**
 * The clients that are known before those that wait for nothing are forgotten: more than questions are worked
 * on.
 */
const CLIENTS = 10_000

/** The questions of a client that are worked on. */
interface Client {
  working: number
}

/** A query with where it came from, `from` its plain form; it `waits` until it is answered or dropped. */
interface Asked extends Asking, Origin {
  readonly client: Client
  readonly from: string
  answer: Buffer | null
  waits: boolean
}

/**
 * Starts a resolver that asks `rule` about every name, answers what is blocked itself (RFC 1035, RFC 8914)
 * and forwards the rest. What cannot be read is dropped.
 */
export function startResolver(setting: ResolverSetting): Resolver {
  return new NameResolver(setting)
}

class NameResolver implements Resolver {
  readonly #questions = questionsKnown()
  readonly #upstreams
  readonly #doors: Doors
  /** Equal questions that wait for the same answer: one is asked for all. */
  readonly #asking = new Map<string, Asked[]>()
  /** Clients by their names. */
  readonly #clients = new Map<string, Client>()
  /** The questions that are worked on, and those of unknown devices among them. */
  #altogether = 0
  #ofUnknown = 0
  #isRunning = true

  constructor(private readonly setting: ResolverSetting) {
    this.#upstreams = upstreamsAt(setting.upstreams, setting.upstream)
    this.#doors = new Doors(
      (message, origin) => this.#hear(message, origin),
      (error) => setting.fault(error),
    )
  }

  open(asker: Asker, port = 0) {
    return this.#doors.open(asker, port)
  }

  close(asker: Asker) {
    this.#doors.close(asker)
  }

  stop() {
    this.#isRunning = false
    this.#doors.stop()
    this.#upstreams.stop()
  }

  async addressesOf(name: string): Promise<readonly string[]> {
    const each = await Promise.all((['A', 'AAAA'] as const).map((type) => this.#addresses(name, type)))
    return each.flat()
  }

  #addresses(name: string, type: 'A' | 'AAAA'): Promise<readonly string[]> {
    const questions = [{ type, name }]
    const query = readQuery(packet.encode({ type: 'query', flags: packet.RECURSION_DESIRED, questions }))!
    return new Promise((resolve) => {
      this.#upstreams.ask({ query, tcp: false }, (found) => {
        const content = found && contentOf(found, query, MAX_CACHE_SECONDS)
        resolve(content && !this.setting.isRefused(name, content.mentioned) ? content.addresses : [])
      })
    })
  }

  #hear(message: Buffer, origin: Origin): void {
    if (!this.setting.isExpected(plainAddress(origin.address))) return
    const client = this.#clientAt(origin)
    const isUnknown = origin.asker.mac === null
    if (!this.#isRunning || client.working >= PER_CLIENT || this.#altogether >= ALTOGETHER) return
    if (isUnknown && this.#ofUnknown >= OF_UNKNOWN) return
    const query = readQuery(message)
    if (!query) return
    client.working++
    this.#altogether++
    if (isUnknown) this.#ofUnknown++
    const { asker, address, port, tcp, send } = origin
    const from = plainAddress(address)
    const asked: Asked = { query, asker, client, from, address, port, tcp, send, answer: null, waits: true }
    try {
      this.#answer(asked)
    } catch (error) {
      this.#fail(asked, error)
    }
  }

  #clientAt({ asker, address }: Origin): Client {
    const key = this.setting.clientOf(asker, plainAddress(address))
    const known = this.#clients.get(key)
    if (known) return known
    if (this.#clients.size >= CLIENTS)
      for (const [other, { working }] of this.#clients) if (working === 0) this.#clients.delete(other)
    const client = { working: 0 }
    this.#clients.set(key, client)
    return client
  }

  #answer(asked: Asked): void {
    const { query } = asked
    if (query.name === null) return this.#end(asked, bare(query, FORMERR))
    const ruling = this.setting.rule(query.name, asked.asker, asked.from, null)
    const known = this.#questions.find(query.message)
    if (ruling) {
      const place = known < 0 ? this.#questions.place(query.message) : known
      return this.#end(asked, closedAnswer(query, ruling, this.#questions, place))
    }
    const age = known < 0 ? -1 : this.#questions.age(known, performance.now())
    if (age < 0) this.#ask(asked)
    else this.#give(asked, this.#questions.found(known), age, this.#questions.aliases[known]!)
  }

  #ask(asked: Asked): void {
    const key = `${asked.tcp ? 't' : 'u'}${asked.query.message.toString('latin1', 2)}`
    const others = this.#asking.get(key)
    if (others) return void others.push(asked)
    const all = [asked]
    this.#asking.set(key, all)
    this.#upstreams.ask(asked, (found) => {
      this.#asking.delete(key)
      void this.#take(all, found)
    })
  }

  /** Gives what was found to all who wait for it, each by what may be told to whom. */
  async #take(all: readonly Asked[], found: Buffer | null): Promise<void> {
    const { query } = all[0]!
    try {
      const content = found && contentOf(found, query, MAX_CACHE_SECONDS)
      if (!content) return all.forEach((asked) => this.#end(asked, bare(asked.query, SERVFAIL)))
      if (content.mentioned.length > 0 && this.setting.isRefused(query.name!, content.mentioned))
        return all.forEach((asked) => this.#end(asked, bare(asked.query, REFUSED)))
      // Nothing opens that nobody is answered.
      const answered = all.filter((asked) => !this.#isClosed(asked, content.aliases))
      if (answered.length === 0) return
      const told = this.setting.resolved(query.name!, content.addresses)
      if (told) await told
      const place = content.lives > 0 ? this.#questions.place(query.message) : -1
      if (place >= 0) this.#questions.keep(place, found, performance.now(), content.lives, content.aliases)
      for (const asked of answered) this.#end(asked, fitting(Buffer.from(found), asked, 0))
    } catch (error) {
      for (const asked of all) this.#fail(asked, error)
    }
  }

  /** Gives what was found, unless an alias in it is blocked for who asks. */
  #give(asked: Asked, found: Buffer, age: number, aliases: Content['aliases']): void {
    if (!this.#isClosed(asked, aliases)) this.#end(asked, fitting(found, asked, age))
  }

  /** Answers who asks that an alias is blocked for them, where one is. */
  #isClosed(asked: Asked, aliases: Content['aliases']): boolean {
    for (const alias of aliases) {
      const ruling = this.setting.rule(alias, asked.asker, asked.from, asked.query.name)
      if (!ruling) continue
      this.#end(asked, closedAnswer(asked.query, ruling, this.#questions, -1))
      return true
    }
    return false
  }

  #end(asked: Asked, answer: Buffer | null): void {
    if (!asked.waits) return
    asked.waits = false
    this.#altogether--
    if (asked.asker.mac === null) this.#ofUnknown--
    asked.client.working--
    asked.answer = answer
    if (answer) asked.send(asked)
  }

  #fail(asked: Asked, error: unknown): void {
    this.#end(asked, null)
    this.setting.fault(error)
  }
}

/**
 * Returns the cached answer to a query, `age` seconds later: truncated where the client does not take so much.
 */
function fitting(found: Buffer, { query, tcp }: Asking, age: number): Buffer {
  return !tcp && found.length > query.size ? bare(query, 'cut') : aged(found, query, age, LONGEST_LIFE)
}
