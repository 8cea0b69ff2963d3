import {
  addressText,
  blockCovers,
  readAddress,
  readBlock,
  type Block,
} from '../../core/destination/address.ts'
import type { LanInterface } from '../../protocol/gateway.ts'
import type { Lead, ShownPrefix } from './lead-setting.ts'
import { TABLE, VERSIONS } from './table-setting.ts'

/** The versions of IP by which look-ups are led, each with the controller's address. */
export const leadVersions = (to: Lead['to']) =>
  VERSIONS.flatMap((one) => (to[one.version] === undefined ? [] : [{ ...one, address: to[one.version]! }]))

/** For how long look-ups are led to a controller that is silent, and how often it says that it is there, in seconds. */
export const ALIVE = 15
export const HEARTBEAT = 5

/** Lines that say that the controller is there; an element that is there does not live longer by being added. */
export const HEARTBEAT_LINES = [
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
 *
 * @throws RangeError where they are too large for that
 */
export function shownPrefixes(interfaces: readonly LanInterface[]): ShownPrefix[] {
  const all = interfaces.flatMap(({ addresses }) => addresses.flatMap((address) => readBlock(address) ?? []))
  const each = [...new Map(all.map((block) => [block.text, block])).values()]
  return ([4, 6] as const).flatMap((version) => {
    let next = SHOWN[version].first
    // The largest first, so that each begins where a prefix of its size may.
    return each
      .filter((block) => block.version === version)
      .sort((a, b) => Number(sizeOf(b) - sizeOf(a)))
      .map((own) => {
        const [first, last] = [next, next + sizeOf(own) - 1n]
        if (last > SHOWN[version].last)
          throw new RangeError(
            `The local network ${own.text} has more addresses than look-ups can be led for: all of them together fit into ${SHOWN[version].text}.`,
          )
        next = last + 1n
        const bits = BITS[version] - (sizeOf(own).toString(2).length - 1)
        return { own, shown: readBlock(`${addressText(version, first)}/${bits}`)! }
      })
  })
}

/** Whose address that is which the controller sees; what is not shown in one of the prefixes is their own. */
export function realAddress(prefixes: readonly ShownPrefix[], text: string): string {
  const seen = readAddress(text)
  const prefix = seen && prefixes.find(({ shown }) => blockCovers(shown, seen))
  return prefix ? addressText(seen.version, prefix.own.first + (seen.first - prefix.shown.first)) : text
}

const sizeOf = ({ first, last }: Block) => last - first + 1n
