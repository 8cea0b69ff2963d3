import { addressText, readAddress, readBlock, type Block } from '../../core/destination/address.ts'
import type { LanInterface } from '../../protocol/gateway.ts'
import type { At } from '../names/upstream-setting.ts'
import { TABLE } from './table-setting.ts'

/** Networks as the controller sees who asks from them, so that it can tell who that is. */
export interface ShownPrefix {
  readonly own: Block
  readonly shown: Block
}

/**
 * How look-ups are led from a router that only has a shell to the machine that answers them, its controller.
 */
export interface Lead {
  /** The IPv4 address of the controller in the local network. */
  readonly to: string
  readonly prefixes: readonly ShownPrefix[]
  /** What becomes of look-ups once the controller is silent: the router's own resolver answers, or nobody. */
  readonly alone: 'open' | 'closed'
  /** Where the controller looks names up, whatever it may do itself. */
  readonly upstreams: readonly At[]
}

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

/** The addresses for benchmarks (RFC 2544), which are nobody's: in them the local networks are shown. */
const SHOWN = readBlock('198.18.0.0/15')!

/**
 * The prefixes of the local network with those under which the controller sees them, each of the same size.
 *
 * @throws RangeError where they are too large for that
 */
export function shownPrefixes(interfaces: readonly LanInterface[]): ShownPrefix[] {
  const own = interfaces
    .flatMap(({ addresses }) => addresses.flatMap((address) => readBlock(address) ?? []))
    .filter(({ version }) => version === 4)
  const each = [...new Map(own.map((block) => [block.text, block])).values()]
  let next = SHOWN.first
  // The largest first, so that each begins where a prefix of its size may.
  return each
    .sort((a, b) => Number(sizeOf(b) - sizeOf(a)))
    .map((block) => {
      const [first, last] = [next, next + sizeOf(block) - 1n]
      if (last > SHOWN.last)
        throw new RangeError(
          `The local networks ${each.map(({ text }) => text).join(', ')} have more addresses together than look-ups can be led for: ${SHOWN.text} is all there is.`,
        )
      next = last + 1n
      const bits = 32 - (sizeOf(block).toString(2).length - 1)
      return { own: block, shown: readBlock(`${addressText(4, first)}/${bits}`)! }
    })
}

/** Whose address that is which the controller sees; what is not shown in one of the prefixes is their own. */
export function realAddress(prefixes: readonly ShownPrefix[], text: string): string {
  const seen = readAddress(text)
  const prefix = seen && prefixes.find(({ shown }) => shown.first <= seen.first && seen.first <= shown.last)
  return prefix ? addressText(4, prefix.own.first + (seen.first - prefix.shown.first)) : text
}

const sizeOf = ({ first, last }: Block) => last - first + 1n
