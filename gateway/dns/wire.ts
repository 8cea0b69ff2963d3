/**
 * A DNS message is read where it lies, as far as a forwarder needs it (RFC 1035, section 4.1): the question,
 * the lives of the records, the addresses. Everything else is passed on as it came, so that nothing is
 * lost in writing it anew, and an answer never grows.
 */

const HEADER = 12
const OPT = 41
/** The longest answer over UDP to a client that does not say how much it takes (RFC 1035, section 4.2.1). */
const PLAIN = 512
const [RESPONSE, OPCODE, TRUNCATED, RECURSION_DESIRED, RECURSION_AVAILABLE] = [
  0x8000, 0x7800, 0x0200, 0x0100, 0x0080,
]
/** The longest that an answer counts, in seconds: a change of the policy shows soon. */
export const LONGEST_LIFE = 10
/**
 * The longest name with its lengths and without its end, in bytes (section 2.3.4), and the buffer in which
 * one is put together.
 */
const LONGEST_NAME = 254
const text = Buffer.alloc(LONGEST_NAME)
const DOT = '.'.charCodeAt(0)
/** Codes of failure (section 4.1.1). */
export const [FORMERR, SERVFAIL, NXDOMAIN, REFUSED] = [1, 2, 3, 5]
/** Types of records that are read: RFC 1035, 3596, 6672, 9460. */
const [A, CNAME, AAAA, DNAME, SVCB, HTTPS] = [1, 5, 28, 39, 64, 65]
/** Keys of address hints in a service binding (RFC 9460, section 14.3.2). */
const [IPV4_HINT, IPV6_HINT] = [4, 6]

/**
 * A query. `message` has its name in lower case, so that equal questions are equal bytes past the id;
 * `written` is it as the client wrote it, whose question the answer repeats. `name` is in lower case without a
 * final dot, its bytes as
 * Latin-1, `null` where it asks for
 * none or for many; `end` is where its question ends, `size` how long an answer it takes over UDP, `edns`
 * whether it speaks EDNS (RFC 6891).
 */
export interface Query {
  readonly message: Buffer
  readonly written: Buffer
  readonly id: number
  readonly name: string | null
  readonly end: number
  readonly size: number
  readonly edns: boolean
}

/** Reads a query, and puts the name in it into lower case; `null` where the message is none. */
export function readQuery(message: Buffer): Query | null {
  if (message.length < HEADER || (word(message, 2) & (RESPONSE | OPCODE)) !== 0) return null
  const id = word(message, 0)
  if (word(message, 4) !== 1)
    return { message, written: message, id, name: null, end: HEADER, size: PLAIN, edns: false }
  let at = HEADER
  // Its own copy only where a letter is written otherwise.
  let written = message
  for (let length = message[at]; length !== 0; length = message[at]) {
    if (
      length === undefined ||
      length > 63 ||
      at + 1 + length - HEADER > LONGEST_NAME ||
      at + 1 + length >= message.length
    )
      return null
    if (at > HEADER) text[at - HEADER - 1] = DOT
    for (const next = at++ + 1 + length; at < next; at++) {
      const letter = message[at]!
      const small = lower(letter)
      text[at - HEADER - 1] = small
      if (small === letter) continue
      if (written === message) written = Buffer.from(message)
      message[at] = small
    }
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
  const name = text.toString('latin1', 0, Math.max(0, at - HEADER - 1))
  return { message, written, id, name, end, size, edns }
}

/**
 * The agreement of the question of an answer with the one that was sent: byte for byte, but for its case, or
 * not at all.
 */
export type Agreement = 'exact' | 'other-case' | 'none'

/**
 * Returns how well a message answers a query (RFC 1035, section 7.3): by its id and its question, which ends
 * at `end`.
 */
export function agreement(found: Buffer, sent: Buffer, end: number): Agreement {
  if (
    found.length < end ||
    word(found, 0) !== word(sent, 0) ||
    (word(found, 2) & RESPONSE) === 0 ||
    word(found, 4) !== 1
  )
    return 'none'
  let result: Agreement = 'exact'
  for (let at = HEADER; at < end; at++) {
    if (found[at] === sent[at]) continue
    if (lower(found[at]!) !== lower(sent[at]!)) return 'none'
    result = 'other-case'
  }
  return result
}

/**
 * Mixes the case of the name in a question, so that an answer that somebody else makes up has to guess it
 * too; `bits` gives a random byte.
 */
export function mixCase(message: Buffer, end: number, bits: () => number): void {
  for (let at = HEADER; at < end - 4; at++)
    if (isLetter(message[at]!)) message[at] = message[at]! ^ ((bits() & 1) << 5)
}

const word = (message: Buffer, at: number) => (message[at]! << 8) | message[at + 1]!
const lower = (byte: number) => (byte >= 65 && byte <= 90 ? byte + 32 : byte)

const isLetter = (byte: number) => (byte >= 65 && byte <= 90) || (byte >= 97 && byte <= 122)

/** The contents of an answer. */
export interface Content {
  /**
   * The addresses of the name, and of the names that it is an alias of: of the answer section alone, and of
   * these alone.
   */
  readonly addresses: readonly string[]
  /** Every address in it, of whatever owner and in whatever section, hints of service bindings too. */
  readonly mentioned: readonly string[]
  /**
   * The names that the name leads to: aliases (RFC 1034, section 3.6.2; RFC 6672) and targets of service
   * bindings (RFC 9460).
   */
  readonly aliases: readonly string[]
  /** For how many seconds it may be given again. */
  readonly lives: number
}

/**
 * Reads what was found for a query. It lives as long as every record in it does (a negative one, its SOA: RFC
 * 2308), `most` at most; a cut one
 * and a failure not at all. `null` where its records cannot be read.
 */
export function contentOf(
  found: Buffer,
  { name, end }: Pick<Query, 'name' | 'end'>,
  most: number,
): Content | null {
  const records = findRecords(found, end)
  if (records < 0) return null
  const answers = word(found, 6)
  const mentioned: string[] = []
  const owned: { readonly owner: string; readonly address: string }[] = []
  const leads: { readonly type: number; readonly owner: string; readonly target: string }[] = []
  let lives = most
  for (let record = 0; record < records; record++) {
    const head = heads[record]!
    const [type, length, data] = [word(found, head), word(found, head + 8), head + 10]
    if (type === OPT) continue
    lives = Math.min(lives, found.readUInt32BE(head + 4))
    const isAnswer = record < answers
    const address =
      (type === A && length === 4) || (type === AAAA && length === 16) ? addressAt(found, data, length) : null
    if (address !== null) {
      mentioned.push(address)
      if (isAnswer) owned.push({ owner: ownerOf(found, record, name), address })
      continue
    }
    if (type !== CNAME && type !== DNAME && type !== SVCB && type !== HTTPS) continue
    const isBinding = type === SVCB || type === HTTPS
    const target = nameAt(found, isBinding ? data + 2 : data)
    if (!target || target.end > data + length) return null
    const owner = ownerOf(found, record, name)
    const hints = isBinding ? hintsIn(found, target.end, data + length) : []
    mentioned.push(...hints)
    if (!isAnswer) continue
    owned.push(...hints.map((hint) => ({ owner, address: hint })))
    leads.push({ type, owner, target: target.name === '' ? owner : target.name })
  }
  const aliases = leads.length === 0 ? [] : aliasesOf(name ?? '', leads)
  const addresses = owned
    .filter(({ owner }) => owner === name || aliases.includes(owner))
    .map(({ address }) => address)
  const none = answers + word(found, 8) === 0
  const code = found[3]! & 15
  const kept = (word(found, 2) & TRUNCATED) === 0 && (code === 0 || code === NXDOMAIN)
  return { addresses, mentioned, aliases, lives: kept && !none ? lives : 0 }
}

/** Every name that a name leads to, in the order in which they are found. */
function aliasesOf(
  name: string,
  leads: readonly { readonly type: number; readonly owner: string; readonly target: string }[],
): string[] {
  const reached = [name]
  // Each name reached is looked at once, so that a loop of aliases ends.
  for (let at = 0; at < reached.length && at <= leads.length; at++) {
    const from = reached[at]!
    for (const { type, owner, target } of leads) {
      const isBelow = type === DNAME && from.endsWith(`.${owner}`)
      let next
      if (isBelow) next = `${from.slice(0, -owner.length)}${target}`
      else if (type !== DNAME && owner === from) next = target
      else next = null
      if (next !== null && !reached.includes(next)) reached.push(next)
    }
  }
  return reached.slice(1)
}

/** The address hints of a service binding between two places (RFC 9460, section 7.3). */
function hintsIn(message: Buffer, from: number, until: number): string[] {
  const hints: string[] = []
  for (let at = from; at + 4 <= until;) {
    const [key, length] = [word(message, at), word(message, at + 2)]
    at += 4
    let width
    if (key === IPV4_HINT) width = 4
    else if (key === IPV6_HINT) width = 16
    else width = 0
    for (let hint = at; width > 0 && hint + width <= Math.min(at + length, until); hint += width)
      hints.push(addressAt(message, hint, width))
    at += length
  }
  return hints
}

/** The owner of a record; mostly it is the name of the question, by a pointer to it. */
function ownerOf(message: Buffer, record: number, name: string | null): string {
  const at = starts[record]!
  if (name !== null && message[at] === 0xc0 && message[at + 1] === HEADER) return name
  return nameAt(message, at)?.name ?? ''
}

/**
 * Reads a name (lower case, no final dot, as Latin-1) at a place, and where it ends there; `null` where it is
 * none.
 */
function nameAt(message: Buffer, from: number): { readonly name: string; readonly end: number } | null {
  const labels: string[] = []
  let [at, end, length] = [from, -1, 0]
  for (;;) {
    const size = message[at]
    if (size === undefined) return null
    if (size === 0) return { name: labels.join('.').toLowerCase(), end: end < 0 ? at + 1 : end }
    if (size >= 0xc0) {
      if (at + 1 >= message.length) return null
      if (end < 0) end = at + 2
      const next = word(message, at) & 0x3fff
      // A pointer leads back (section 4.1.4): a loop of them ends.
      if (next >= at) return null
      at = next
      continue
    }
    length += size + 1
    if (size > 63 || at + 1 + size > message.length || length > LONGEST_NAME) return null
    labels.push(message.toString('latin1', at + 1, at + 1 + size))
    at += 1 + size
  }
}

function addressAt(message: Buffer, at: number, length: number): string {
  return length === 4
    ? `${message[at]}.${message[at + 1]}.${message[at + 2]}.${message[at + 3]}`
    : addressText(message.subarray(at, at + 16))
}

/**
 * Turns what was found and could be read into the answer to a query, where it lies: with its id and its
 * question as it was asked, records that are `age` seconds older and live `longest` at most.
 */
export function aged(answer: Buffer, { id, end, written }: Query, age: number, longest: number): Buffer {
  answer.writeUInt16BE(id, 0)
  written.copy(answer, HEADER, HEADER, end)
  const records = findRecords(answer, end)
  for (let record = 0; record < records; record++) {
    const head = heads[record]!
    if (word(answer, head) !== OPT)
      answer.writeUInt32BE(Math.max(0, Math.min(longest, answer.readUInt32BE(head + 4) - age)), head + 4)
  }
  return answer
}

/** An answer without records: that it was cut, or a code of failure. */
export function bare({ message, written, id, name, end }: Query, what: 'cut' | number): Buffer {
  const answer = Buffer.alloc(name === null ? HEADER : end)
  message.copy(answer, 0, 0, answer.length)
  if (name !== null) written.copy(answer, HEADER, HEADER, end)
  answer.writeUInt16BE(id, 0)
  answer.writeUInt16BE(
    RESPONSE |
      (word(message, 2) & RECURSION_DESIRED) |
      RECURSION_AVAILABLE |
      (what === 'cut' ? TRUNCATED : what),
    2,
  )
  answer.writeUInt16BE(name === null ? 0 : 1, 4)
  answer.fill(0, 6, HEADER)
  return answer
}

/**
 * The offsets of the types of a message's records, past their names, as they were found last: a record has
 * eleven bytes at least.
 */
const heads = new Uint16Array(0x10000 / 11)
/** The offsets of their names. */
const starts = new Uint16Array(0x10000 / 11)

/** Finds the records after the question, and answers how many there are; -1 where the message ends before. */
function findRecords(message: Buffer, from: number): number {
  const count = word(message, 6) + word(message, 8) + word(message, 10)
  let at = from
  for (let record = 0; record < count; record++) {
    starts[record] = at
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
    if (at > message.length) return -1
    at += word(message, at - 2)
    if (at > message.length) return -1
  }
  return count
}

/** An IPv6 address in the one text that everybody writes (RFC 5952), as URLs have it. */
function addressText(data: Buffer): string {
  return new URL(
    `http://[${Array.from({ length: 8 }, (_, index) => data.readUInt16BE(index * 2).toString(16)).join(':')}]`,
  ).hostname.slice(1, -1)
}
