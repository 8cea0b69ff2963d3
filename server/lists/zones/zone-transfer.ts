import { randomInt } from 'node:crypto'
import { connect, type Socket } from 'node:net'
import { decode, encode, type DecodedPacket } from 'dns-packet'
import { ListFault } from '../list-fetch.ts'
import { reachWords } from '../../../node/reach-words.ts'
import { Signer, TsigFault, Verifier, type TsigKey } from './tsig.ts'
import { ZoneFault, ZoneRecords, type ZoneCopy } from './zone-records.ts'

/**
 * The longest time of a transfer and the longest silence of a server, in milliseconds; its most data,
 * in bytes.
 */
const [PATIENCE_MS, SILENCE_MS, MOST_BYTES] = [120_000, 15_000, 256_000_000]
const DNS_PORT = 53

/** The source of a zone: an address `dns://server[:port]/zone` (RFC 4501), and the key, if any. */
export interface ZoneSource {
  readonly url: string
  readonly key: TsigKey | null
}

/** Whether an address is one of a zone. */
export const isZoneAddress = (url: string): boolean => /^dns:/i.test(url)

/** The parts of such an address; names are in lower case, without a final dot. */
export function zoneOf(url: string): { host: string; port: number; zone: string } {
  const { hostname, port, pathname } = new URL(url)
  const zone = decodeURIComponent(pathname.slice(1)).toLowerCase().replace(/\.$/, '')
  return { host: hostname.replace(/^\[|\]$/g, ''), port: Number(port || DNS_PORT), zone }
}

/**
 * Fetches a zone by zone transfer over TCP: what changed (IXFR, RFC 1995) where a copy is known, or the whole
 * (AXFR, RFC 5936), also where the changes do not fit.
 *
 * @returns the zone as it is now; `null` = it is as it was
 * @throws ListFault
 */
export async function transferZone(source: ZoneSource, known: ZoneCopy | null): Promise<ZoneCopy | null> {
  const { host, port, zone } = zoneOf(source.url)
  const name = `${host}:${port}`
  const exchange = new Exchange(await open(host, port), source.key)
  try {
    if (known && (await exchange.serial(zone)) === known.serial) return null
    try {
      const copy = await exchange.transfer(zone, known)
      return copy.serial === known?.serial ? null : copy
    } catch (error) {
      if (!(error instanceof ZoneFault) || known === null) throw error
      exchange.close()
      const again = new Exchange(await open(host, port), source.key)
      return await again.transfer(zone, null).finally(() => again.close())
    }
  } catch (error) {
    if (error instanceof ListFault) throw error
    const reason = reachWords(error)
    if (error instanceof TsigFault) throw new ListFault(`${name} could not be trusted: ${reason}`)
    throw new ListFault(`${name} could not be read: ${reason}`)
  } finally {
    exchange.close()
  }
}

function open(host: string, port: number): Promise<Socket> {
  return new Promise((resolve, reject) => {
    const socket = connect({ host, port })
    const fail = (reason: string) => {
      socket.destroy()
      reject(new ListFault(`${host}:${port} could not be reached: ${reason}`))
    }
    socket.setTimeout(SILENCE_MS, () => fail('it does not answer'))
    socket.once('error', (error) => fail(reachWords(error)))
    socket.once('connect', () => {
      socket.removeAllListeners('error').removeAllListeners('timeout')
      // From now on whoever reads hears of it.
      socket.on('error', () => {})
      resolve(socket)
    })
  })
}

/** Queries and their answers over one connection (RFC 7766). */
class Exchange {
  readonly #until = performance.now() + PATIENCE_MS
  readonly #messages: AsyncGenerator<Buffer, void>

  constructor(
    private readonly socket: Socket,
    private readonly key: TsigKey | null,
  ) {
    this.#messages = this.#read()
  }

  /** The serial of a zone. */
  async serial(zone: string): Promise<number> {
    const { verifier } = this.#ask(zone, 'SOA', null)
    const { answers = [] } = await this.#answer(zone, verifier)
    verifier?.end()
    const start = answers.find(({ type }) => type === 'SOA')
    if (start?.type !== 'SOA') throw new ListFault(`The server does not have the zone ${zone}`)
    return start.data.serial!
  }

  async transfer(zone: string, known: ZoneCopy | null): Promise<ZoneCopy> {
    const { verifier } = this.#ask(zone, known ? 'IXFR' : 'AXFR', known)
    const records = new ZoneRecords(zone, known)
    while (!records.isEnded) {
      const { answers = [] } = await this.#answer(zone, verifier)
      for (const record of answers) records.take(record)
    }
    verifier?.end()
    return records.copy
  }

  close(): void {
    this.socket.destroy()
  }

  #ask(zone: string, type: 'SOA' | 'AXFR' | 'IXFR', known: ZoneCopy | null): { verifier: Verifier | null } {
    const start = {
      mname: '.',
      rname: '.',
      serial: known?.serial ?? 0,
      refresh: 0,
      retry: 0,
      expire: 0,
      minimum: 0,
    }
    const query = encode({
      type: 'query',
      id: randomInt(0x10000),
      questions: [{ type, name: zone }],
      authorities: type === 'IXFR' ? [{ type: 'SOA', name: zone, ttl: 0, data: start }] : [],
    })
    const signer = this.key && new Signer(this.key)
    this.socket.write(withLength(signer ? signer.sign(query) : query))
    return { verifier: this.key && new Verifier(this.key, signer!.mac) }
  }

  async #answer(zone: string, verifier: Verifier | null): Promise<DecodedPacket> {
    const { value: message } = await this.#messages.next()
    if (!message) throw new ListFault('The server ended the connection before the zone was complete')
    const packet = decode(message)
    const { rcode } = packet as DecodedPacket & { rcode: string }
    verifier?.check(message)
    if (rcode !== 'NOERROR')
      throw new ListFault(
        `The server refuses the zone ${zone} (${rcode}): it must allow transfers to Kairostat`,
      )
    return packet
  }

  /** The messages of the connection, each after two bytes of its length (RFC 1035, section 4.2.2). */
  async *#read(): AsyncGenerator<Buffer, void> {
    this.socket.setTimeout(SILENCE_MS, () => this.socket.destroy(new Error('it does not go on')))
    let rest: Buffer = Buffer.alloc(0)
    let size = 0
    for await (const part of this.socket as AsyncIterable<Buffer>) {
      size += part.length
      if (size > MOST_BYTES) throw new ListFault(`The zone is larger than ${MOST_BYTES / 1e6} MB`)
      if (performance.now() > this.#until)
        throw new ListFault(`The transfer took longer than ${PATIENCE_MS / 1000} s`)
      rest = rest.length === 0 ? part : Buffer.concat([rest, part])
      while (rest.length >= 2 && rest.length >= 2 + rest.readUInt16BE(0)) {
        const end = 2 + rest.readUInt16BE(0)
        yield rest.subarray(2, end)
        rest = rest.subarray(end)
      }
    }
  }
}

/** A message as it goes over TCP. */
export function withLength(message: Buffer): Buffer {
  const length = Buffer.alloc(2)
  length.writeUInt16BE(message.length)
  return Buffer.concat([length, message])
}
