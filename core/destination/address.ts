import { Address4, Address6 } from 'ip-address'

/**
 * An IP address block: every address of the version from `first` to `last`, both included. One address is a
 * block of one.
 */
export interface Block {
  readonly version: 4 | 6
  readonly first: bigint
  readonly last: bigint
  readonly text: string
}

const OCTETS = /^(?:(?:0|[1-9]\d{0,2})\.){3}(?:0|[1-9]\d{0,2})$/
const MAPPED = 0xffffn << 32n

/**
 * Reads an IP address or CIDR block (RFC 4632, RFC 4291); host bits are taken off. An IPv4-mapped IPv6
 * address is the IPv4 address that
 * goes over the wire. Octets with leading zeros and zone ids are refused. `null` where the text is none.
 *
 * @example readBlock('203.0.113.7/24')!.text // '203.0.113.0/24'
 */
export function readBlock(text: string): Block | null {
  const [address, prefix, ...more] = text.trim().toLowerCase().split('/')
  if (address === undefined || more.length > 0 || (prefix !== undefined && !/^\d{1,3}$/.test(prefix)))
    return null
  const read = readValue(address)
  if (!read) return null
  const width = read.version === 4 ? 32 : 128
  // A mapped address counts its prefix from the 96 bits before it.
  const bits = prefix === undefined ? width : Number(prefix) - (read.mapped ? 96 : 0)
  if (bits < 0 || bits > width) return null
  const size = 1n << BigInt(width - bits)
  const first = read.value - (read.value % size)
  return {
    version: read.version,
    first,
    last: first + size - 1n,
    text: `${addressText(read.version, first)}${bits < width ? `/${bits}` : ''}`,
  }
}

/**
 * Reads one IP address; `null` where the text is none, or a block of several.
 *
 * @example readAddress('2001:DB8::0:7')!.text // '2001:db8::7'
 */
export function readAddress(text: string): Block | null {
  return text.includes('/') ? null : readBlock(text)
}

/**
 * Whether every address of `inner` lies in `outer`. An address of IPv6 that translates to one of IPv4 (RFC
 * 6052) lies where that does, too.
 *
 * @example blockCovers(readBlock('203.0.113.0/24')!, readBlock('64:ff9b::203.0.113.9')!) // true
 */
export function blockCovers(outer: Block, inner: Block): boolean {
  if (
    outer.version === 4 &&
    inner.version === 6 &&
    TRANSLATING <= inner.first &&
    inner.last <= LAST_TRANSLATING
  )
    return outer.first <= inner.first - TRANSLATING && inner.last - TRANSLATING <= outer.last
  return outer.version === inner.version && outer.first <= inner.first && inner.last <= outer.last
}

/**
 * The addresses that translate to those of IPv4: the well-known prefix `64:ff9b::/96` (RFC 6052, section
 * 2.1).
 */
const TRANSLATING = 0x64ff9bn << 96n
const LAST_TRANSLATING = TRANSLATING + 0xffffffffn

/** The block of IPv6 whose addresses translate to those of one of IPv4. */
export function translatingTo({ first, last }: Block): Block {
  const bits = 128 - ((last - first + 1n).toString(2).length - 1)
  const text = `${addressText(6, TRANSLATING + first)}${bits < 128 ? `/${bits}` : ''}`
  return { version: 6, first: TRANSLATING + first, last: TRANSLATING + last, text }
}

/**
 * The other address of a pair that mean the same: of one of IPv4 that of IPv6 which translates to it, and the
 * other way round; `null` where there is none.
 *
 * @example translatedText('64:ff9b::203.0.113.9') // '203.0.113.9'
 */
export function translatedText(address: string): string | null {
  const block = readAddress(address)
  if (!block) return null
  if (block.version === 4) return translatingTo(block).text
  const isTranslating = TRANSLATING <= block.first && block.first <= LAST_TRANSLATING
  return isTranslating ? addressText(4, block.first - TRANSLATING) : null
}

/** Blocks without those that lie in another of them, each once. */
export function outerBlocks(blocks: readonly Block[]): Block[] {
  const each = [...new Map(blocks.map((block) => [block.text, block])).values()]
  return each.filter((block) => !each.some((other) => other !== block && blockCovers(other, block)))
}

function readValue(text: string): { version: 4 | 6; value: bigint; mapped: boolean } | null {
  if (OCTETS.test(text))
    return Address4.isValid(text) ? { version: 4, value: new Address4(text).bigInt(), mapped: false } : null
  if (!text.includes(':') || text.includes('%') || !Address6.isValid(text)) return null
  const value = new Address6(text).bigInt()
  const mapped = value >> 32n === MAPPED >> 32n
  return mapped ? { version: 4, value: value & 0xffffffffn, mapped } : { version: 6, value, mapped }
}

/**
 * An address by its number, in its canonical text (RFC 5952).
 *
 * @example addressText(4, 3221225985n) // '192.0.2.1'
 */
export function addressText(version: 4 | 6, value: bigint): string {
  return version === 4 ? Address4.fromBigInt(value).correctForm() : Address6.fromBigInt(value).correctForm()
}
