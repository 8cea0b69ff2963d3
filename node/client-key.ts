import { isIP } from 'node:net'
import { Address6 } from 'ip-address'

/**
 * Returns what names a client where it is limited: its IPv4 address, or of IPv6 the /64 network, within which
 * a client can take any address (RFC 4291, section 2.5.1).
 *
 * @example clientKey('2001:db8::7') // '2001:db8::/64'
 */
export function clientKey(address: string): string {
  const known = plainAddress(address)
  return isIP(known) === 6 ? `${new Address6(`${known}/64`).startAddress().correctForm()}/64` : known
}

/**
 * Returns an address without a zone, and an IPv4 address that a socket for both versions writes as IPv6 in
 * its own form (RFC 4291, section 2.5.5.2).
 *
 * @example plainAddress('::ffff:192.0.2.7') // '192.0.2.7'
 */
export function plainAddress(address: string): string {
  return address.replace(/^::ffff:(?=\d+\.)/, '').replace(/%.*$/, '')
}
