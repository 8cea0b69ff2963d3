/**
 * Reads a MAC address (EUI-48) as 02:5E:…, 02-5e-…, 025e.1000.0001 or 025e10000001; the answer is lower case
 * with colons, `null` where it is none.
 *
 * @example readMac('025E.1000.0009') // '02:5e:10:00:00:09'
 */
export function readMac(text: string): string | null {
  const trimmed = text.trim()
  const usual =
    /^[0-9a-f]{2}([:-])[0-9a-f]{2}(\1[0-9a-f]{2}){4}$|^[0-9a-f]{4}\.[0-9a-f]{4}\.[0-9a-f]{4}$|^[0-9a-f]{12}$/i
  if (!usual.test(trimmed)) return null
  return trimmed
    .toLowerCase()
    .replace(/[^0-9a-f]/g, '')
    .match(/../g)!
    .join(':')
}

/**
 * Why an address can be no adapter's own, or `null` where it can: group addresses (IEEE 802, the low bit of
 * the first octet) and all zeros.
 *
 * @example macFault('01:00:5e:00:00:01') // 'is a group address, which no adapter has'
 */
export function macFault(mac: string): string | null {
  if (mac === '00:00:00:00:00:00') return 'is the empty address, which no adapter has'
  return Number.parseInt(mac.slice(0, 2), 16) & 1 ? 'is a group address, which no adapter has' : null
}

/**
 * Whether the address has the locally administered bit (IEEE 802, the second lowest bit of the first octet):
 * a hint that it may change.
 *
 * @example mayChange('02:5e:10:00:00:09') // true
 */
export function mayChange(mac: string): boolean {
  return (Number.parseInt(mac.slice(0, 2), 16) & 2) !== 0
}
