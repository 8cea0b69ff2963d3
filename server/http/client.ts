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

/**
 * Addresses of proxies whose word is taken for who asks: KAIROSTAT_TRUSTED_PROXY, addresses or blocks, parted
 * by commas.
 *
 * @throws Error where one is none
 */
const proxies = new BlockList()
for (const text of (process.env.KAIROSTAT_TRUSTED_PROXY ?? '')
  .split(',')
  .map((part) => part.trim())
  .filter(Boolean)) {
  const [address = '', prefix] = text.split('/')
  const version = isIP(address)
  if (version === 0 || (prefix !== undefined && !/^\d{1,3}$/.test(prefix)))
    throw new Error(
      `KAIROSTAT_TRUSTED_PROXY names "${text}": write addresses or blocks, parted by commas, such as 127.0.0.1,192.0.2.0/24.`,
    )
  proxies.addSubnet(address, Number(prefix ?? (version === 4 ? 32 : 128)), version === 4 ? 'ipv4' : 'ipv6')
}
/** Whether a connection from an address comes from a trusted proxy. */
export function isProxy(address: string): boolean {
  const version = isIP(plainAddress(address))
  return version !== 0 && proxies.check(plainAddress(address), version === 4 ? 'ipv4' : 'ipv6')
}

/** Names under which Kairostat is reached, besides its own address: KAIROSTAT_HOSTS, parted by commas. */
export const NAMES: ReadonlySet<string> = new Set(
  (process.env.KAIROSTAT_HOSTS ?? '')
    .split(',')
    .map((name) => name.trim().toLowerCase())
    .filter(Boolean),
)
const LOOPBACK = new Set(['localhost', '127.0.0.1', '[::1]'])

/**
 * Returns the sender of a request. A header about it (RFC 7239 calls it forwarded) counts only from a trusted
 * proxy.
 */
export function clientOf(event: H3Event): Client {
  const told = clientOfPeer(event)
  if (told) return told
  const { socket } = event.node.req
  const peer = plainAddress(socket.remoteAddress ?? '')
  const host = (getHeader(event, 'host') ?? '').toLowerCase()
  const isOwn = { address: peer, isSecure: 'encrypted' in socket, host }
  if (!isProxy(peer)) return isOwn
  // The last one that is no proxy itself: what stands before it, anybody could have written.
  const through = (getHeader(event, 'x-forwarded-for') ?? '')
    .split(',')
    .map((text) => plainAddress(text.trim()))
    .filter((text) => isIP(text) !== 0)
  const address = through.findLast((text) => !isProxy(text)) ?? peer
  return {
    address,
    isSecure: getHeader(event, 'x-forwarded-proto') === 'https',
    host: getHeader(event, 'x-forwarded-host')?.toLowerCase() ?? host,
  }
}

/** The headers by which a process tells another who asked it: the secret of both, and the client as JSON. */
export const [PEER_HEADER, CLIENT_HEADER] = ['x-kairostat-peer', 'x-kairostat-client']

let peers: string | null = null
/** Believes the process that has this secret, which works on the same database, who asked it. */
export function trustPeers(secret: string): void {
  peers = secret
}

/** Whether a request comes from such a process. */
export function isPeer({ headers }: IncomingMessage): boolean {
  const given = Buffer.from(String(headers[PEER_HEADER] ?? ''))
  const secret = Buffer.from(peers ?? '')
  return peers !== null && given.length === secret.length && timingSafeEqual(given, secret)
}

/** Returns the client of another process that forwarded a request; `null` = no process did. */
export function clientOfPeer(event: H3Event): Client | null {
  return isPeer(event.node.req)
    ? (JSON.parse(getHeader(event, CLIENT_HEADER) ?? 'null') as Client | null)
    : null
}

/** Returns the origin of a session that begins with a request. */
export function cameFrom(event: H3Event): Origin {
  return {
    address: clientOf(event).address,
    browser: (getHeader(event, 'user-agent') ?? '').replaceAll(/\p{Cc}/gu, '').slice(0, 300),
  }
}

/** The origin of the pages of this application as the browser that sent a request writes it. */
export function originOf({ isSecure, host }: Client): string {
  return `${isSecure ? 'https' : 'http'}://${host}`
}

/**
 * Whether a request was made for a name of ours: the address on which it arrived, loopback, or one that
 * KAIROSTAT_HOSTS lists. A page of another name that leads here by DNS is none of ours.
 */
export function isOurHost(event: H3Event, { host }: Client): boolean {
  // The process that forwarded it has looked already.
  if (clientOfPeer(event)) return true
  const name = host.replace(/:\d+$/, '')
  if (LOOPBACK.has(name) || NAMES.has(name) || NAMES.has(host)) return true
  const local = plainAddress(event.node.req.socket.localAddress ?? '')
  return local !== '' && name === (local.includes(':') ? `[${local}]` : local)
}
