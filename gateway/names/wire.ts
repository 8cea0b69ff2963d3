/**
 * A DNS message is read where it lies, as far as a forwarder needs it (RFC 1035, section 4.1): the question, the lives of the records, the addresses. Everything else is passed on as it came, so that nothing is
 * lost in writing it anew, and an answer never grows.
 */

const HEADER = 12
const OPT = 41
/** What goes over UDP to a client that does not say how much it takes (RFC 1035, section 4.2.1). */
const PLAIN = 512
const [RESPONSE, OPCODE, TRUNCATED, RECURSION_DESIRED, RECURSION_AVAILABLE] = [0x8000, 0x7800, 0x0200, 0x0100, 0x0080]
/** How long a name may be with its lengths and without its end, in bytes (section 2.3.4), and where one is put together. */
const LONGEST_NAME = 254
const text = Buffer.alloc(LONGEST_NAME)
const DOT = '.'.charCodeAt(0)
/** Codes of failure (section 4.1.1). */
export const [FORMERR, SERVFAIL, NXDOMAIN] = [1, 2, 3]

/** A query: its id, which is written over where it is asked on, the name that it asks for (lower case, no final dot, its bytes as Latin-1; `null` where it asks for none or for many), where its question ends, how long an answer it takes over UDP, whether it speaks EDNS (RFC 6891). */
export interface Query { readonly message: Buffer, readonly id: number, readonly name: string | null, readonly end: number, readonly size: number, readonly edns: boolean }

/** Reads a query; `null` where the message is none. */
export function readQuery(message: Buffer): Query | null {
  if (message.length < HEADER || (word(message, 2) & (RESPONSE | OPCODE)) !== 0) return null
  const id = word(message, 0)
  if (word(message, 4) !== 1) return { message, id, name: null, end: HEADER, size: PLAIN, edns: false }
  let at = HEADER
  for (let length = message[at]; length !== 0; length = message[at]) {
    if (length === undefined || length > 63 || at + 1 + length - HEADER > LONGEST_NAME || at + 1 + length >= message.length) return null
    if (at > HEADER) text[at - HEADER - 1] = DOT
    for (const next = at++ + 1 + length; at < next; at++) text[at - HEADER - 1] = lower(message[at]!)
  }
  const end = at + 5
  const records = end > message.length ? -1 : findRecords(message, end)
  if (records < 0) return null
  let [size, edns] = [PLAIN, false]
  for (let record = 0; record < records; record++) {
    const head = heads[record]!
    if (word(message, head) !== OPT) continue
    size = Math.max(PLAIN, word(message, head + 2))
    edns = true
  }
  return { message, id, name: text.toString('latin1', 0, Math.max(0, at - HEADER - 1)), end, size, edns }
}

/** Whether a message answers a query that was sent with an id: the same question. */
export function answers(found: Buffer, { message, end }: Query, id: number): boolean {
  if (found.length < end || word(found, 0) !== id || (word(found, 2) & RESPONSE) === 0 || word(found, 4) !== 1) return false
  for (let at = HEADER; at < end; at++) if (found[at] !== message[at] && lower(found[at]!) !== lower(message[at]!)) return false
  return true
}

const word = (message: Buffer, at: number) => message[at]! << 8 | message[at + 1]!
const lower = (byte: number) => byte >= 65 && byte <= 90 ? byte + 32 : byte

/** The addresses among the answers, and for how many seconds they may be given again: as long as every record lives (of a negative one, its SOA: RFC 2308), `most` at most; a cut one and a failure not at all. `null` where its records cannot be read. */
export function contentOf(found: Buffer, { end }: Query, most: number): { readonly addresses: readonly string[], readonly lives: number } | null {
  const records = findRecords(found, end)
  if (records < 0) return null
  const code = found[3]! & 15
  const addresses: string[] = []
  let lives = most
  for (let record = 0; record < records; record++) {
    const head = heads[record]!
    const [type, length, data] = [word(found, head), word(found, head + 8), head + 10]
    if (type === OPT) continue
    lives = Math.min(lives, found.readUInt32BE(head + 4))
    if (type === 1 && length === 4) addresses.push(`${found[data]}.${found[data + 1]}.${found[data + 2]}.${found[data + 3]}`)
    if (type === 28 && length === 16) addresses.push(addressText(found.subarray(data, data + length)))
  }
  const none = word(found, 6) + word(found, 8) === 0
  const kept = (word(found, 2) & TRUNCATED) === 0 && (code === 0 || code === NXDOMAIN)
  return { addresses, lives: kept && !none ? lives : 0 }
}

/** Turns what was found and could be read into the answer to a query, where it lies: with its id, records that are `age` seconds older and live `longest` at most. */
export function aged(own: Buffer, { id, end }: Query, age: number, longest: number): Buffer {
  own.writeUInt16BE(id, 0)
  const records = findRecords(own, end)
  for (let record = 0; record < records; record++) {
    const head = heads[record]!
    if (word(own, head) !== OPT) own.writeUInt32BE(Math.max(0, Math.min(longest, own.readUInt32BE(head + 4) - age)), head + 4)
  }
  return own
}

/** An answer without records: that it was cut, or a code of failure. */
export function bare({ message, id, name, end }: Query, what: 'cut' | number): Buffer {
  const own = Buffer.alloc(name === null ? HEADER : end)
  message.copy(own, 0, 0, own.length)
  own.writeUInt16BE(id, 0)
  own.writeUInt16BE(RESPONSE | (word(message, 2) & RECURSION_DESIRED) | RECURSION_AVAILABLE | (what === 'cut' ? TRUNCATED : what), 2)
  own.writeUInt16BE(name === null ? 0 : 1, 4)
  own.fill(0, 6, HEADER)
  return own
}

/** Where the types of a message's records stand, past their names, as they were found last: a record has eleven bytes at least. */
const heads = new Uint16Array(0x10000 / 11)

/** Finds the records after the question, and answers how many there are; -1 where the message ends before. */
function findRecords(message: Buffer, from: number): number {
  const count = word(message, 6) + word(message, 8) + word(message, 10)
  let at = from
  for (let record = 0; record < count; record++) {
    for (let length = message[at]; length !== 0; length = message[at]) {
      // A pointer ends a name (section 4.1.4).
      if (length !== undefined && length >= 0xc0) {
        at++
        break
      }
      if (length === undefined || length > 63) return -1
      at += 1 + length
    }
    heads[record] = at + 1
    at += 11
    if (at > message.length || (at += word(message, at - 2)) > message.length) return -1
  }
  return count
}

/** An IPv6 address in the one text that everybody writes (RFC 5952), as URLs have it. */
function addressText(data: Buffer): string {
  return new URL(`http://[${Array.from({ length: 8 }, (_, index) => data.readUInt16BE(index * 2).toString(16)).join(':')}]`).hostname.slice(1, -1)
}
