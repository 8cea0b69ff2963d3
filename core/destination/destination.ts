import { readAddress, type Block } from './address.ts'
import { readHost } from './host.ts'

/**
 * The destination of a device: a host name or an address, with protocol and port where they are known. What is
 * not known matches nothing.
 */
export interface Destination {
  readonly host: string | null
  readonly address: Block | null
  readonly protocol: 'tcp' | 'udp' | null
  readonly port: number | null
}

/** Default ports of the schemes that say one (IANA's registry of URI schemes and service names). */
const SCHEMES: ReadonlyMap<string, number> = new Map(
  Object.entries({
    http: 80,
    https: 443,
    ws: 80,
    wss: 443,
    ftp: 21,
    ftps: 990,
    ssh: 22,
    imap: 143,
    imaps: 993,
    ldap: 389,
    sip: 5060,
    sips: 5061,
    rtsp: 554,
  }),
)

/**
 * Reads a destination as people write it: a bare name or address, an address with a scheme (`https://…` means
 * tcp 443), or `tcp://host:port` and `udp://host:port`.
 *
 * @returns the destination, or what is wrong with the text
 * @example readDestination('https://quillpost.example') // { host: 'quillpost.example', address: null, protocol: 'tcp', port: 443 }
 */
export function readDestination(text: string): Destination | { readonly fault: string } {
  const url = /^([a-z][a-z0-9+.-]*):\/\/(?:[^/?#@]*@)?([^/?#]*)/i.exec(text.trim())
  if (!url) return place(text.trim()) ?? bareFault(text)
  const scheme = url[1]!.toLowerCase()
  const authority = /^(\[[^\]]*\]|[^:]*)(?::(\d{1,5}))?$/.exec(url[2]!)
  const where = authority && place(authority[1]!.replace(/^\[(.*)\]$/, '$1'))
  if (!where)
    return {
      fault: `“${text}” names no host: write it like https://reelbrook.example or tcp://203.0.113.9:8443.`,
    }
  const port = authority[2] === undefined ? SCHEMES.get(scheme) : Number(authority[2])
  if (port !== undefined && (port < 1 || port > 65535))
    return { fault: `“${text}” has port ${port}: ports run from 1 to 65535.` }
  if (scheme === 'tcp' || scheme === 'udp') {
    return port === undefined
      ? { fault: `“${text}” says no port: write ${scheme}://host:port.` }
      : { ...where, protocol: scheme, port }
  }
  if (!SCHEMES.has(scheme))
    return { fault: `“${scheme}” is not a scheme known here: write tcp://host:port or udp://host:port.` }
  return { ...where, protocol: 'tcp', port: port! }
}

function place(text: string): Destination | null {
  const address = readAddress(text)
  const host = address ? null : readHost(text)
  return address || host ? { host, address, protocol: null, port: null } : null
}

function bareFault(text: string): { fault: string } {
  if (/^([^:]+|\[[0-9a-f:.]+\]):\d+$/i.test(text.trim()))
    return {
      fault: `“${text}” has a port but no protocol: write tcp://${text.trim()} or udp://${text.trim()}.`,
    }
  return {
    fault: `“${text}” is not a host name, address or URL: write it like reelbrook.example, 203.0.113.9 or https://reelbrook.example.`,
  }
}
