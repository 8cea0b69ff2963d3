import { macFault, readMac } from '../destination/mac.ts'
import { readBlock } from '../destination/address.ts'
import type { Medium } from '../policy/types.ts'
import type { DeviceRow } from './device-row.ts'

/** An address that was found in a text, with what stood beside it; `line` counts from 1. */
export interface FoundAdapter {
  readonly mac: string
  readonly hostName: string | null
  readonly addresses: readonly string[]
  readonly medium: Medium | null
  readonly line: number
}

/** A line that should hold an address but could not be read, and why. */
export interface Unread {
  readonly line: number
  readonly text: string
  readonly message: string
}

/**
 * The kind of a text. `machine`: the network cards of one machine; `network`: addresses seen on a
 * network, each a machine of its own; `devices`: a list of devices that was written here.
 */
export type Reading = { readonly format: string; readonly unread: readonly Unread[] } & (
  | { readonly kind: 'machine' | 'network'; readonly found: readonly FoundAdapter[] }
  | { readonly kind: 'devices'; readonly rows: readonly DeviceRow[] }
)

/** Takes what a format finds, line by line. */
export interface Sink {
  /**
   * An address in any notation; group and empty addresses, which tables hold beside devices, are passed over.
   */
  found(
    line: number,
    mac: string,
    more?: Partial<Pick<FoundAdapter, 'hostName' | 'addresses' | 'medium'>>,
  ): void
  unread(line: number, text: string, message: string): void
}

/** A kind of text that holds addresses. */
export interface Format {
  readonly name: string
  readonly kind: 'machine' | 'network'
  /** Whether its lines may be of any length. */
  readonly hasLongLines?: true
  /** Whether a text that begins like this is of this kind. */
  matches(head: string): boolean
  /** Reads the text's lines in order; what it yields after some lines lets a caller show progress. */
  read(lines: Iterable<[line: number, text: string]>, sink: Sink): void
}

// An IPv4 address in its canonical form already, as nearly all are: a lease file may hold a million.
const IPV4 = /^(?:25[0-5]|2[0-4]\d|1\d\d|[1-9]?\d)(?:\.(?:25[0-5]|2[0-4]\d|1\d\d|[1-9]?\d)){3}$/

/**
 * Collects what is found, one entry an address: IP addresses are united, of host name and medium the last
 * that is known counts.
 */
export function collector(): Sink & { result(): { found: FoundAdapter[]; unread: Unread[] } } {
  const found = new Map<string, FoundAdapter>()
  const unread: Unread[] = []
  return {
    found: (line, text, more = {}) => {
      const mac = readMac(text) ?? readMac(padded(text))
      if (mac === null) {
        unread.push({
          line,
          text: text.slice(0, 200),
          message: `“${text.slice(0, 60)}” is not a MAC address.`,
        })
        return
      }
      if (macFault(mac) !== null) return
      const before = found.get(mac)
      const addresses = (more.addresses ?? []).flatMap((address) =>
        IPV4.test(address) ? [address] : (readBlock(address.replace(/%.*$/, ''))?.text ?? []),
      )
      found.set(mac, {
        mac,
        line: before?.line ?? line,
        hostName: more.hostName || before?.hostName || null,
        medium: more.medium ?? before?.medium ?? null,
        addresses: before ? [...new Set([...before.addresses, ...addresses])] : addresses,
      })
    },
    unread: (line, text, message) => {
      unread.push({ line, text: text.trim().slice(0, 200), message })
    },
    result: () => ({ found: [...found.values()], unread }),
  }
}

/**
 * The medium that the name of a network card or connection suggests, in the languages of docs/formats.md;
 * `null` where it suggests none.
 *
 * @example mediumOf('wlan0') // 'wifi'
 */
export function mediumOf(name: string): Medium | null {
  if (/bluetooth|virtual|tunnel|vpn|loopback|hyper|bridge/i.test(name)) return 'other'
  if (/wi-?fi|wlan|wireless|drahtlos|sans fil|inal[aá]mbric|sem fio|airport|^wl|802\.11/i.test(name))
    return 'wifi'
  return /ethernet|\blan\b|^e(th|n)\w*\d|gigabit|cable/i.test(name) ? 'ethernet' : null
}

// Some systems write 2:5e:10:0:0:1 for 02:5e:10:00:00:01.
function padded(text: string): string {
  return /^[0-9a-f]{1,2}(:[0-9a-f]{1,2}){5}$/i.test(text)
    ? text
        .split(':')
        .map((octet) => octet.padStart(2, '0'))
        .join(':')
    : text
}

/**
 * The lines of a text with their numbers, counted from 1, without their ends. They are cut one by one: a file
 * of 50 MB in an array of lines would be held twice.
 */
export function* numbered(text: string, progress: (done: number) => void): Generator<[number, string]> {
  let line = 0
  for (let from = 0; from <= text.length;) {
    const end = text.indexOf('\n', from)
    const until = end < 0 ? text.length : end
    line++
    if (line % 10_000 === 0) progress(from / text.length)
    yield [line, text.slice(from, text[until - 1] === '\r' ? until - 1 : until)]
    from = until + 1
  }
}
