import fc from 'fast-check'
import packet, { type Answer, type Packet } from 'dns-packet'
import { expect, test } from 'vitest'
import { aged, answers, bare, contentOf, readQuery } from './wire.ts'

const label = fc.stringMatching(/^[a-zA-Z0-9-]{1,12}$/)
const name = fc.array(label, { minLength: 1, maxLength: 4 }).map(labels => labels.join('.'))
const ttl = fc.nat(100_000)
const record: fc.Arbitrary<Answer> = fc.oneof(
  fc.record({ type: fc.constant('A' as const), name, ttl, data: fc.ipV4() }), fc.record({ type: fc.constant('AAAA' as const), name, ttl, data: fc.ipV6().map(text => packet.decode(packet.encode({ type: 'response', answers: [{ type: 'AAAA', name: 'x', data: text }] })).answers![0]! as { data: string }).map(({ data }) => data) }),
  fc.record({ type: fc.constant('CNAME' as const), name, ttl, data: name }), fc.record({ type: fc.constant('TXT' as const), name, ttl, data: label }),
)
const opt = { type: 'OPT', name: '.', udpPayloadSize: 1232, flags: 0, options: [] } as unknown as Answer
const query = fc.record({ name, type: fc.constantFrom('A', 'AAAA', 'TXT'), edns: fc.boolean() })
  .map(({ name, type, edns }) => packet.encode({ type: 'query', id: 7, flags: packet.RECURSION_DESIRED, questions: [{ name, type } as never], additionals: edns ? [opt] : [] } satisfies Packet))

/** An answer to a query, as an upstream would write it. */
const answerTo = (message: Buffer, records: readonly Answer[], flags = 0) => packet.encode({ type: 'response', id: 9, flags, questions: packet.decode(message).questions, answers: [...records], additionals: [opt] })
const ttlOf = (one: Answer) => 'ttl' in one ? one.ttl! : 0
/** IPv6 addresses are written in more than one way. */
const plain = (address: string) => address.includes(':') ? new URL(`http://[${address}]`).hostname.slice(1, -1) : address

test('a query is read as the library reads it', () => {
  fc.assert(fc.property(query, (message) => {
    const { questions, additionals } = packet.decode(message)
    const read = readQuery(message)!
    expect([read.name, read.edns, read.size]).toEqual([questions![0]!.name.toLowerCase(), additionals!.length > 0, additionals!.length > 0 ? 1232 : 512])
    expect(packet.decode(bare(read, 3))).toMatchObject({ id: 7, rcode: 'NXDOMAIN', flag_ra: true, flag_rd: true, questions, answers: [], additionals: [] })
    expect(packet.decode(bare(read, 'cut')).flag_tc).toBe(true)
  }))
})

test('an answer keeps all but its id and its lives, which grow older and end soon', () => {
  fc.assert(fc.property(query, fc.array(record, { maxLength: 6 }), fc.nat(70), (message, records, age) => {
    const read = readQuery(message)!
    const found = answerTo(message, records)
    expect([answers(found, read, 9), answers(found, read, 8), answers(message, read, 7)]).toEqual([true, false, false])
    const { addresses, lives } = contentOf(found, read, 60)!
    expect(addresses).toEqual(records.flatMap(one => one.type === 'A' || one.type === 'AAAA' ? [plain(one.data)] : []))
    expect(lives).toBe(records.length === 0 ? 0 : Math.min(60, ...records.map(ttlOf)))
    const [before, after] = [packet.decode(found), packet.decode(aged(Buffer.from(found), { ...read, id: 4711 }, age, 10))]
    expect([after.id, after.answers, after.additionals]).toEqual([4711, before.answers!.map(one => ({ ...one, ttl: Math.max(0, Math.min(10, ttlOf(one) - age)) })), before.additionals])
  }))
})

test('what is cut, or failed, or answers something else, is not given again', () => {
  const message = packet.encode({ type: 'query', id: 7, questions: [{ type: 'A', name: 'open.example' }] })
  const read = readQuery(message)!
  const one: Answer = { type: 'A', name: 'open.example', ttl: 60, data: '192.0.2.7' }
  for (const [flags, lives] of [[0, 60], [3, 60], [2, 0], [5, 0], [packet.TRUNCATED_RESPONSE, 0]] as const) expect([flags, contentOf(answerTo(message, [one], flags), read, 90)?.lives]).toEqual([flags, lives])
  const other = packet.encode({ type: 'query', id: 7, questions: [{ type: 'AAAA', name: 'open.example' }] })
  expect([answers(answerTo(other, []), read, 9), contentOf(answerTo(message, [one]).subarray(0, -15), read, 90)]).toEqual([false, null])
})

test('whatever bytes come, reading ends, with a query or without', () => {
  fc.assert(fc.property(fc.oneof(fc.uint8Array({ maxLength: 90 }), fc.tuple(query, fc.nat(60), fc.nat(255)).map(([message, at, byte]) => Buffer.from(message).fill(byte, at % message.length, at % message.length + 1))), (bytes) => {
    const message = Buffer.from(bytes)
    const read = readQuery(message)
    if (read) expect([bare(read, 2).length <= message.length, read.end <= message.length]).toEqual([true, true])
    const fixed = readQuery(packet.encode({ type: 'query', id: 1, questions: [{ type: 'A', name: 'a.example' }] }))!
    if (answers(message, fixed, message.length > 1 ? message.readUInt16BE(0) : 0)) contentOf(message, fixed, 60)
  }), { numRuns: 2000 })
})
