import { createHmac, timingSafeEqual } from 'node:crypto'
import * as dnsPacket from 'dns-packet'

/** The parts of the package that its types lack: names and records as they go over the wire. */
interface Wire {
  readonly name: { encode(name: string): Buffer; decode(message: Buffer, at: number): string }
  readonly answer: { encode(record: object): Buffer }
}
const { name: dnsName, answer: record } = dnsPacket as unknown as Wire

/** A key by which DNS messages are signed (RFC 8945). */
export interface TsigKey {
  /** In lower case, without a final dot. */
  readonly name: string
  readonly algorithm: TsigAlgorithm
  readonly secret: Buffer
}
/** The algorithms that are spoken (section 6), strongest last. */
export const TSIG_ALGORITHMS = ['hmac-sha256', 'hmac-sha384', 'hmac-sha512'] as const
export type TsigAlgorithm = (typeof TSIG_ALGORITHMS)[number]

/**
 * By how many seconds two clocks may differ (section 10), and how many messages may go unsigned (section
 * 5.3.1).
 */
const FUDGE = 300
const MOST_UNSIGNED = 99
const [HEADER, TSIG, ANY] = [12, 250, 255]
/** Why a signature is refused (section 3): the code of the error. */
export const TSIG_ERRORS = { BADSIG: 16, BADKEY: 17, BADTIME: 18 } as const

/** Says that a message is not signed as it should be, with the code of the reason. */
export class TsigFault extends Error {
  constructor(
    message: string,
    readonly code: (typeof TSIG_ERRORS)[keyof typeof TSIG_ERRORS],
  ) {
    super(message)
  }
}

/**
 * Reads a key as it is written for `dig`: `algorithm:name:secret`, the secret in base64 (RFC 4648); `null`
 * where it is none.
 */
export function readKey(text: string): TsigKey | null {
  const [, algorithm, name, secret] =
    /^([\w-]+):([\w.-]{1,253}):([A-Za-z0-9+/]{22,}={0,2})$/.exec(text.trim()) ?? []
  const known = TSIG_ALGORITHMS.find((one) => one === algorithm)
  if (!known || !name || !secret) return null
  return {
    name: name.toLowerCase().replace(/\.$/, ''),
    algorithm: known,
    secret: Buffer.from(secret, 'base64'),
  }
}

/** The contents of a TSIG record; `prior` of a chain of messages is the `mac` of the one before. */
interface Signature {
  readonly name: string
  readonly algorithm: string
  readonly time: number
  readonly fudge: number
  readonly mac: Buffer
  readonly error: number
  /** The message without it, with the id that it was signed with. */
  readonly bare: Buffer
}

/** Signs the messages of one exchange, each bound to the one before it. */
export class Signer {
  #first = true

  /**
   * Signs with a key.
   *
   * @param prior the signature of the query that is answered; `null` = the messages are queries
   */
  constructor(
    private readonly key: TsigKey,
    private prior: Buffer | null = null,
    private readonly now: () => number = () => Math.floor(Date.now() / 1000),
  ) {}

  /** The signature of the message that was signed last. */
  get mac(): Buffer | null {
    return this.prior
  }

  /** A message with its signature at its end. */
  sign(message: Buffer): Buffer {
    const time = this.now()
    const facts = { ...this.key, time, fudge: FUDGE, error: 0 }
    this.prior = macOf(this.key, this.prior, [message], this.#first ? variablesOf(facts) : timersOf(facts))
    this.#first = false
    return withRecord(message, facts, this.prior)
  }
}

/** Checks the messages of one answer, each bound to the one before it. */
export class Verifier {
  #first = true
  #unsigned: Buffer[] = []

  /**
   * Checks with a key.
   *
   * @param prior the signature of the query that is answered; `null` = the message is a query
   */
  constructor(
    private readonly key: TsigKey,
    private prior: Buffer | null,
    private readonly now: () => number = () => Math.floor(Date.now() / 1000),
  ) {}

  /** The signature of the message that was checked last. */
  get mac(): Buffer | null {
    return this.prior
  }

  /**
   * Checks the next message; within a chain some may be unsigned, which the next that is signed covers.
   *
   * @throws TsigFault
   */
  check(message: Buffer): void {
    const found = signatureOf(message)
    if (!found) {
      if (this.#first || this.#unsigned.length >= MOST_UNSIGNED)
        throw new TsigFault('the answer is not signed', TSIG_ERRORS.BADSIG)
      this.#unsigned.push(message)
      return
    }
    if (found.error !== 0) throw new TsigFault(errorWords(found.error), TSIG_ERRORS.BADSIG)
    if (found.name !== this.key.name || found.algorithm !== this.key.algorithm)
      throw new TsigFault('it is signed with another key', TSIG_ERRORS.BADKEY)
    const expected = macOf(
      this.key,
      this.prior,
      [...this.#unsigned, found.bare],
      this.#first ? variablesOf(found) : timersOf(found),
    )
    if (found.mac.length !== expected.length || !timingSafeEqual(found.mac, expected))
      throw new TsigFault('its signature is wrong: check the secret of the key', TSIG_ERRORS.BADSIG)
    if (Math.abs(this.now() - found.time) > found.fudge)
      throw new TsigFault('the clocks of both sides differ by more than five minutes', TSIG_ERRORS.BADTIME)
    this.prior = found.mac
    this.#first = false
    this.#unsigned = []
  }

  /**
   * Says that nothing follows.
   *
   * @throws TsigFault where the last message was unsigned
   */
  end(): void {
    if (this.#unsigned.length > 0)
      throw new TsigFault('the end of the answer is not signed', TSIG_ERRORS.BADSIG)
  }
}

/** The name of the key that signed a message; `null` = it is not signed. */
export function signerOf(message: Buffer): string | null {
  return signatureOf(message)?.name ?? null
}

/** An answer that refuses a signature (section 5.2): unsigned itself, with the code that says why. */
export function refusedSignature(answer: Buffer, query: Buffer, code: number): Buffer {
  const found = signatureOf(query)!
  const facts = { ...found, time: Math.floor(Date.now() / 1000), fudge: FUDGE, error: code }
  return withRecord(answer, facts, Buffer.alloc(0))
}

function errorWords(code: number): string {
  if (code === TSIG_ERRORS.BADKEY) return 'the server does not know the key'
  if (code === TSIG_ERRORS.BADTIME) return 'the clocks of both sides differ by more than five minutes'
  return 'the server refuses the signature: check the secret of the key'
}

type Facts = Pick<Signature, 'name' | 'algorithm' | 'time' | 'fudge' | 'error'>

function macOf(key: TsigKey, prior: Buffer | null, messages: readonly Buffer[], rest: Buffer): Buffer {
  const mac = createHmac(key.algorithm.slice('hmac-'.length), key.secret)
  if (prior) mac.update(word(prior.length)).update(prior)
  for (const message of messages) mac.update(message)
  return mac.update(rest).digest()
}

/**
 * Returns the part of a TSIG record that is signed with the first message (section 4.3.3), or with those
 * that follow.
 */
function variablesOf({ name, algorithm, time, fudge, error }: Facts): Buffer {
  const head = [dnsName.encode(name), word(ANY), Buffer.alloc(4), dnsName.encode(algorithm)]
  return Buffer.concat([...head, timersOf({ time, fudge }), word(error), word(0)])
}
function timersOf({ time, fudge }: Pick<Facts, 'time' | 'fudge'>): Buffer {
  const timers = Buffer.alloc(8)
  timers.writeUIntBE(time, 0, 6)
  timers.writeUInt16BE(fudge, 6)
  return timers
}

function withRecord(message: Buffer, facts: Facts, mac: Buffer): Buffer {
  const id = message.subarray(0, 2)
  const algorithm = dnsName.encode(facts.algorithm)
  const data = Buffer.concat([
    algorithm,
    timersOf(facts),
    word(mac.length),
    mac,
    id,
    word(facts.error),
    word(0),
  ])
  const tsig = { name: facts.name, type: 'TSIG', class: 'ANY', ttl: 0, data }
  const signed = Buffer.concat([message, record.encode(tsig)])
  signed.writeUInt16BE(message.readUInt16BE(10) + 1, 10)
  return signed
}

/** The TSIG record at the end of a message; `null` = there is none. */
function signatureOf(message: Buffer): Signature | null {
  if (message.length < HEADER || message.readUInt16BE(10) === 0) return null
  const at = lastRecord(message)
  const end = skipName(message, at)
  if (message.readUInt16BE(end) !== TSIG) return null
  const bare = Buffer.from(message.subarray(0, at))
  bare.writeUInt16BE(bare.readUInt16BE(10) - 1, 10)
  const data = message.subarray(end + 10)
  const algorithmEnd = skipName(data, 0)
  const size = data.readUInt16BE(algorithmEnd + 8)
  const macEnd = algorithmEnd + 10 + size
  data.copy(bare, 0, macEnd, macEnd + 2)
  return {
    name: dnsName.decode(message, at).toLowerCase(),
    algorithm: dnsName.decode(data, 0).toLowerCase(),
    time: data.readUIntBE(algorithmEnd, 6),
    fudge: data.readUInt16BE(algorithmEnd + 6),
    mac: Buffer.from(data.subarray(algorithmEnd + 10, macEnd)),
    error: data.readUInt16BE(macEnd + 2),
    bare,
  }
}

/** Returns the offset of the last record of a message. */
function lastRecord(message: Buffer): number {
  let at = HEADER
  for (let left = message.readUInt16BE(4); left > 0; left--) at = skipName(message, at) + 4
  let last = at
  for (let left = [6, 8, 10].reduce((sum, field) => sum + message.readUInt16BE(field), 0); left > 0; left--) {
    last = at
    const end = skipName(message, at)
    at = end + 10 + message.readUInt16BE(end + 8)
  }
  return last
}

function skipName(message: Buffer, from: number): number {
  for (let at = from; ;) {
    const length = message.readUInt8(at)
    if (length === 0) return at + 1
    if (length >= 0xc0) return at + 2
    at += 1 + length
  }
}

function word(value: number): Buffer {
  const bytes = Buffer.alloc(2)
  bytes.writeUInt16BE(value)
  return bytes
}
