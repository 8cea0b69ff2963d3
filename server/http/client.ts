import { timingSafeEqual } from 'node:crypto'
import type { IncomingMessage } from 'node:http'
import { BlockList, isIP } from 'node:net'
import { getHeader, type H3Event } from 'h3'
import { plainAddress } from '../../node/client-key.ts'
import type { Origin } from '../accounts/account-sql.ts'

/** The sender of a request: its address, whether it used TLS, and the host name that it asked for. */
export interface Client {
  readonly address: string
  readonly isSecure: boolean
  readonly host: string
}

/** The names of this computer itself, by which it is always asked for. */
const LOOPBACK: ReadonlySet<string> = new Set(['localhost', '127.0.0.1', '[::1]'])

/** The headers by which a process tells another who asked it: the secret of both, and the client as JSON. */
export const [PEER_HEADER, CLIENT_HEADER] = ['x-kairostat-peer', 'x-kairostat-client']

/** Tells who sends a request: by its connection, or by the word of those who are trusted. */
export class Clients {
  readonly #proxies: BlockList
  /** Names under which Kairostat is reached, besides its own address. */
  readonly names: ReadonlySet<string>

  /**
   * KAIROSTAT_TRUSTED_PROXY lists addresses or blocks of proxies whose word is taken for who asks,
   * KAIROSTAT_HOSTS names under which Kairostat is reached, both parted by commas.
   *
   * @param env the variables of the process
   * @param peerSecret the secret of the processes that work on the same database
   * @throws Error where an address is none
   */
  constructor(
    env: NodeJS.ProcessEnv,
    private readonly peerSecret: string,
  ) {
    this.#proxies = blocksOf(partsOf(env.KAIROSTAT_TRUSTED_PROXY ?? ''))
    this.names = new Set(partsOf((env.KAIROSTAT_HOSTS ?? '').toLowerCase()))
  }

  /** Whether a connection from an address comes from a trusted proxy. */
  isProxy(address: string): boolean {
    const version = isIP(plainAddress(address))
    return version !== 0 && this.#proxies.check(plainAddress(address), version === 4 ? 'ipv4' : 'ipv6')
  }

  /** Whether a request comes from another process that works on the same database. */
  isPeer({ headers }: IncomingMessage): boolean {
    const given = Buffer.from(String(headers[PEER_HEADER] ?? ''))
    const secret = Buffer.from(this.peerSecret)
    return given.length === secret.length && timingSafeEqual(given, secret)
  }

  /**
   * Returns the sender of a request. A header about it (RFC 7239 calls it forwarded) counts only from a
   * trusted proxy, or from another process.
   */
  of(event: H3Event): Client {
    const { req } = event.node
    if (this.isPeer(req)) return JSON.parse(getHeader(event, CLIENT_HEADER) ?? 'null') as Client
    const peer = plainAddress(req.socket.remoteAddress ?? '')
    const host = (getHeader(event, 'host') ?? '').toLowerCase()
    if (!this.isProxy(peer)) return { address: peer, isSecure: 'encrypted' in req.socket, host }
    // The last one that is no proxy itself: what stands before it, anybody could have written.
    const through = (getHeader(event, 'x-forwarded-for') ?? '')
      .split(',')
      .map((text) => plainAddress(text.trim()))
      .filter((text) => isIP(text) !== 0)
    return {
      address: through.findLast((text) => !this.isProxy(text)) ?? peer,
      isSecure: getHeader(event, 'x-forwarded-proto') === 'https',
      host: getHeader(event, 'x-forwarded-host')?.toLowerCase() ?? host,
    }
  }

  /**
   * Whether a request was made for a name of ours: the address on which it arrived, loopback, or one that
   * KAIROSTAT_HOSTS lists. A page of another name that leads here by DNS is none of ours.
   */
  isForUs({ node: { req } }: H3Event, { host }: Client): boolean {
    // The process that forwarded it has looked already.
    if (this.isPeer(req)) return true
    const name = host.replace(/:\d+$/, '')
    if (LOOPBACK.has(name) || this.names.has(name) || this.names.has(host)) return true
    const local = plainAddress(req.socket.localAddress ?? '')
    return local !== '' && name === (local.includes(':') ? `[${local}]` : local)
  }
}

const partsOf = (text: string) =>
  text
    .split(',')
    .map((part) => part.trim())
    .filter(Boolean)

function blocksOf(texts: readonly string[]): BlockList {
  const blocks = new BlockList()
  for (const text of texts) {
    const [address = '', prefix] = text.split('/')
    const version = isIP(address)
    if (version === 0 || (prefix !== undefined && !/^\d{1,3}$/.test(prefix)))
      throw new Error(
        `KAIROSTAT_TRUSTED_PROXY names "${text}": write addresses or blocks, parted by commas, such as 127.0.0.1,192.0.2.0/24.`,
      )
    blocks.addSubnet(address, Number(prefix ?? (version === 4 ? 32 : 128)), version === 4 ? 'ipv4' : 'ipv6')
  }
  return blocks
}

/** Returns the origin of a session that a client begins with a request. */
export function originOf({ address }: Client, event: H3Event): Origin {
  return {
    address,
    browser: (getHeader(event, 'user-agent') ?? '').replaceAll(/\p{Cc}/gu, '').slice(0, 300),
  }
}

/** Returns the origin of our pages (RFC 6454) as the browser of a client writes it. */
export function pagesOriginOf({ isSecure, host }: Client): string {
  return `${isSecure ? 'https' : 'http'}://${host}`
}
