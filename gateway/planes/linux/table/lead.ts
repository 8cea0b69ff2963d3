import { createHash } from 'node:crypto'
import { hostname } from 'node:os'
import {
  addressText,
  blockCovers,
  readAddress,
  readBlock,
  type Block,
} from '../../../../core/destination/address.ts'
import type { LanInterface } from '../../../../protocol/gateway/gateway.ts'
import type { Lead, ShownPrefix } from './lead-setting.ts'
import { TABLE, VERSIONS } from './table-setting.ts'

/** The versions of IP by which look-ups are led, each with the controller's address. */
export const leadVersions = (to: Lead['to']) =>
  VERSIONS.flatMap((one) => (to[one.version] === undefined ? [] : [{ ...one, address: to[one.version]! }]))

/**
 * Returns the match of packets of the controller itself, for each version of IP or one: by its MAC address,
 * since everybody can write its IP address. None where its MAC address is not known.
 */
export const controllerMatches = ({ to, mac }: Lead, version?: 4 | 6): string[] =>
  mac === null
    ? []
    : leadVersions(to)
        .filter((one) => version === undefined || one.version === version)
        .map(({ ip, address }) => `ether saddr ${mac} ${ip} saddr ${address}`)

/**
 * For how long look-ups are led to a controller that is silent, and how often it says that it is there, in
 * seconds.
 */
export const ALIVE = 15
export const HEARTBEAT = 5

/** The set that says by its name which controller drives the router, with the name of its machine. */
export const driverSet = (secret: string): string =>
  `by_${createHash('sha256').update(secret).digest('hex').slice(0, 12)}_${hostname().replaceAll(/[^\w]/g, '_').slice(0, 60)}`
const DRIVER_SET = /^by_([0-9a-f]{12})_(\w*)$/

/** Returns the machine that a driver set names, where that is another controller than ours; else `null`. */
export function otherDriver(set: string, ours: string): string | null {
  const match = DRIVER_SET.exec(set)
  return match && match[1] !== DRIVER_SET.exec(ours)![1] ? match[2] || 'another machine' : null
}

/**
 * Lines that say that the controller is there; an element that is there does not live longer by being added.
 * The commands fail where another controller's table took the place of ours.
 */
export const heartbeatLines = (driver: string) =>
  [
    `add element ${TABLE} ${driver} { tcp }`,
    `add element ${TABLE} alive { tcp, udp }`,
    `delete element ${TABLE} alive { tcp, udp }`,
    `add element ${TABLE} alive { tcp timeout ${ALIVE}s, udp timeout ${ALIVE}s }`,
    '',
  ].join('\n')

/**
 * In which addresses the local networks are shown: those for benchmarks (RFC 2544), which are nobody's, and a
 * part of those that are everybody's own (RFC 4193).
 */
const SHOWN = { 4: readBlock('198.18.0.0/15')!, 6: readBlock('fd4b:6169:726f::/48')! } as const
const BITS = { 4: 32, 6: 128 } as const

/**
 * The prefixes of the local network with those under which the controller sees them, each of the same size.
 * The prefixes follow from a secret: nobody without it can write such an address.
 *
 * @throws RangeError where they are too large for that
 */
export function shownPrefixes(interfaces: readonly LanInterface[], secret = ''): ShownPrefix[] {
  const all = interfaces.flatMap(({ addresses }) => addresses.flatMap((address) => readBlock(address) ?? []))
  const each = [...new Map(all.map((block) => [block.text, block])).values()]
  return ([4, 6] as const).flatMap((version) => {
    // The largest first, so that each begins where a prefix of its size may.
    const own = each
      .filter((block) => block.version === version)
      .sort((a, b) => Number(sizeOf(b) - sizeOf(a)))
    let next = firstShown(version, own, secret)
    return own.map((own) => {
      const [first, last] = [next, next + sizeOf(own) - 1n]
      if (version === 4 && last > SHOWN[version].last)
        throw new RangeError(
          `The local network ${own.text} has more addresses than look-ups can be led for: all of them together fit into ${SHOWN[version].text}.`,
        )
      next = last + 1n
      const bits = BITS[version] - (sizeOf(own).toString(2).length - 1)
      return { own, shown: readBlock(`${addressText(version, first)}/${bits}`)! }
    })
  })
}

/** Returns the first shown address: for IPv6 in a network of 40 random bits (RFC 4193, section 3.1). */
function firstShown(version: 4 | 6, own: readonly Block[], secret: string): bigint {
  const { first, last } = SHOWN[version]
  if (secret === '' || own.length === 0) return first
  const random = BigInt(`0x${createHash('sha256').update(`${secret} shown ${version}`).digest('hex')}`)
  if (version === 6) return (0xfdn << 120n) | ((random & 0xff_ffff_ffffn) << 80n)
  const size = sizeOf(own[0]!)
  const total = own.reduce((sum, block) => sum + sizeOf(block), 0n)
  const places = (last - first + 1n - total) / size + 1n
  return places > 0n ? first + (random % places) * size : first
}

/** Whether an address is one under which the controller is shown who asks. */
export function isShown(prefixes: readonly ShownPrefix[], text: string): boolean {
  const seen = readAddress(text)
  return seen !== null && prefixes.some(({ shown }) => blockCovers(shown, seen))
}

/**
 * Returns the client behind an address that the controller sees; an address outside the prefixes is the
 * client's own.
 */
export function realAddress(prefixes: readonly ShownPrefix[], text: string): string {
  const seen = readAddress(text)
  const prefix = seen && prefixes.find(({ shown }) => blockCovers(shown, seen))
  return prefix ? addressText(seen.version, prefix.own.first + (seen.first - prefix.shown.first)) : text
}

const sizeOf = ({ first, last }: Block) => last - first + 1n
