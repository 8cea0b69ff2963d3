import packet, { type Answer, type Packet } from 'dns-packet'
import type { Questions } from './questions.ts'
import type { Ruling } from './ruling.ts'
import { bare, LONGEST_LIFE, type Query } from './wire.ts'

/**
 * The option of Extended DNS Errors, and its code for what the operator closed (RFC 8914, sections 2 and
 * 4.16).
 */
const EDE = 15
const BLOCKED = 15

/** Returns the answer for a blocked name, from the cache where it is known. */
export function closedAnswer(
  query: Query,
  ruling: NonNullable<Ruling>,
  questions: Questions,
  place: number,
): Buffer {
  const before = place < 0 ? null : questions.closed[place]!
  const answer =
    before &&
    (before.ruling === ruling || (before.ruling.closed === ruling.closed && before.ruling.to === ruling.to))
      ? before.answer
      : closedMessage(query, ruling)
  if (place >= 0 && before?.ruling !== ruling) questions.closed[place] = { ruling, answer }
  const own = Buffer.from(answer)
  own.writeUInt16BE(query.id, 0)
  query.written.copy(own, HEADER, HEADER, query.end)
  return own
}

/** The offset of the question in a message. */
const HEADER = 12

/**
 * No address for A and AAAA, or that of the page for A alone; no data for the rest; who can take it is told
 * why.
 */
function closedMessage(query: Query, ruling: NonNullable<Ruling>): Buffer {
  const { questions } = packet.decode(bare(query, 0))
  const [{ name, type }] = questions as [{ name: string; type: string }]
  let answers: Answer[]
  if (type === 'A') answers = [{ type, name, ttl: LONGEST_LIFE, data: ruling.to ?? '0.0.0.0' }]
  else if (type === 'AAAA' && ruling.to === null) answers = [{ type, name, ttl: LONGEST_LIFE, data: '::' }]
  else answers = []
  const { closed } = ruling
  const options =
    closed === null
      ? []
      : [{ code: EDE, data: Buffer.concat([Buffer.from([0, BLOCKED]), Buffer.from(closed)]) }]
  const opt = { type: 'OPT', name: '.', udpPayloadSize: 1232, flags: 0, options } as unknown as Answer
  const flags = bare(query, 0).readUInt16BE(2) & 0x7fff
  return packet.encode({
    type: 'response',
    flags,
    questions,
    answers,
    additionals: query.edns ? [opt] : [],
  } as Packet)
}
