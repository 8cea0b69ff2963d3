import { BlockList, isIP, isIPv6 } from 'node:net'
import { lookup as lookUp, type LookupAddress, type LookupOptions } from 'node:dns'
import { gunzipSync } from 'node:zlib'
import { Agent, fetch, type Response } from 'undici'

/**
 * The largest list, in bytes, unpacked; how long fetching it may take, in milliseconds; and how often it
 * may be led on.
 */
const MOST_BYTES = 64_000_000
const PATIENCE_MS = 60_000
const MOST_REDIRECTS = 5

/** The validators of a list from the last fetch (RFC 9110, sections 8.8.2 and 8.8.3). */
export interface Validators {
  readonly etag: string | null
  readonly modified: string | null
}

/** A list that was fetched; `text` `null` = it is as it was. */
export interface FetchedList extends Validators {
  readonly text: string | null
}

/** Says in words for people that a list could not be fetched. */
export class ListFault extends Error {}

/** Addresses that are nobody's on the internet (RFC 6890, RFC 4291). */
const INSIDE = new BlockList()
for (const [net, prefix] of [
  ['0.0.0.0', 8],
  ['10.0.0.0', 8],
  ['100.64.0.0', 10],
  ['127.0.0.0', 8],
  ['169.254.0.0', 16],
  ['172.16.0.0', 12],
  ['192.0.0.0', 24],
  ['192.168.0.0', 16],
  ['198.18.0.0', 15],
  ['224.0.0.0', 3],
] as const)
  INSIDE.addSubnet(net, prefix, 'ipv4')
for (const [net, prefix] of [
  ['::', 96],
  ['64:ff9b::', 96],
  ['fc00::', 7],
  ['fe80::', 10],
  ['ff00::', 8],
] as const)
  INSIDE.addSubnet(net, prefix, 'ipv6')

/** Whether an address is one of the internet, as far as that can be told from it. */
export const isPublic = (address: string): boolean =>
  !INSIDE.check(address, isIPv6(address) ? 'ipv6' : 'ipv4')

/** A list is fetched once in a while: a connection that waited until then may just be ending. */
const ONCE = { pipelining: 0 } as const
const anywhere = new Agent(ONCE)
/** Connects to addresses of the internet alone, whatever a name resolves to. */
const outside = new Agent({
  ...ONCE,
  connect: {
    lookup: (name: string, options: LookupOptions, done: (...found: never[]) => void) =>
      lookUp(name, { ...options, all: true }, (error, all: LookupAddress[]) => {
        const inside = error ? undefined : all.find(({ address }) => !isPublic(address))
        const fault =
          error ?? (inside && new ListFault(`It leads to ${name}, which is ${inside.address}: ${NOT_OUT}`))
        const [first] = all ?? []
        const answer = options.all ? [fault ?? null, all] : [fault ?? null, first?.address, first?.family]
        done(...(answer as never[]))
      }),
  },
})
const NOT_OUT = 'an address of the local network. Allow that at the source, or name its address itself'

/**
 * Fetches a list. A redirect is followed to addresses of the internet, or with `inside` to any.
 *
 * @throws ListFault
 */
export async function fetchList(
  url: string,
  known: Validators,
  inside: boolean,
  mostBytes = MOST_BYTES,
): Promise<FetchedList> {
  const signal = AbortSignal.timeout(PATIENCE_MS)
  let target = new URL(url)
  for (let turn = 0; turn <= MOST_REDIRECTS; turn++) {
    // The address itself was chosen by somebody who may; where it leads was not.
    const mayBeInside = inside || turn === 0
    if (!mayBeInside) refuseInside(target)
    const response = await fetch(target, {
      redirect: 'manual',
      signal,
      dispatcher: mayBeInside ? anywhere : outside,
      headers: {
        'user-agent': 'Kairostat',
        ...(known.etag !== null && { 'if-none-match': known.etag }),
        ...(known.modified !== null && { 'if-modified-since': known.modified }),
      },
    }).catch((error: Error) => {
      throw faultOf(error, target)
    })
    if (response.status === 304) return { ...known, text: null }
    const next = response.headers.get('location')
    if (response.status >= 300 && response.status < 400 && next !== null) {
      await response.body?.cancel()
      target = targetOf(next, target)
      continue
    }
    if (!response.ok) {
      await response.body?.cancel()
      throw new ListFault(`${target.host} answered ${response.status}: a list is expected`)
    }
    const text = await textOf(response, mostBytes).catch((error: Error) => {
      throw faultOf(error, target)
    })
    return { text, etag: response.headers.get('etag'), modified: response.headers.get('last-modified') }
  }
  throw new ListFault(`It leads on more than ${MOST_REDIRECTS} times: give the address at which the list is`)
}

function targetOf(location: string, from: URL): URL {
  const target = URL.canParse(location, from) ? new URL(location, from) : null
  if (target === null || !/^https?:$/.test(target.protocol))
    throw new ListFault(`It leads to “${location.slice(0, 100)}”, which is not an http or https address`)
  return target
}

/** A host that is an address is connected to without any look-up. */
function refuseInside({ hostname }: URL): void {
  const host = hostname.replace(/^\[|\]$/g, '')
  if (isIP(host) && !isPublic(host)) throw new ListFault(`It leads to ${host}: ${NOT_OUT}`)
}

async function textOf(response: Response, mostBytes: number): Promise<string> {
  const tooLarge = () => new ListFault(`The list is larger than ${mostBytes / 1e6} MB`)
  const parts: Uint8Array[] = []
  let size = 0
  for await (const part of response.body ?? []) {
    size += (part as Uint8Array).length
    if (size > mostBytes) throw tooLarge()
    parts.push(part as Uint8Array)
  }
  const bytes = Buffer.concat(parts)
  // A file that is packed itself (RFC 1952), not only on its way.
  if (bytes[0] !== 0x1f || bytes[1] !== 0x8b) return bytes.toString('utf8')
  try {
    return gunzipSync(bytes, { maxOutputLength: mostBytes }).toString('utf8')
  } catch (error) {
    const isLarge = (error as NodeJS.ErrnoException).code === 'ERR_BUFFER_TOO_LARGE'
    throw isLarge ? tooLarge() : new ListFault('The list is packed with gzip, and the file is damaged')
  }
}

function faultOf(error: Error, { host }: URL): ListFault {
  if (error instanceof ListFault) return error
  if (error.cause instanceof ListFault) return error.cause
  if (error.name === 'TimeoutError') return new ListFault(`${host} took longer than ${PATIENCE_MS / 1000} s`)
  return new ListFault(
    `${host} could not be read: ${error.cause instanceof Error ? error.cause.message || String((error.cause as NodeJS.ErrnoException).code) : error.message}`,
  )
}
