import fc from 'fast-check'
import packet, { type Answer, type Packet } from 'dns-packet'
import { describe, expect, test } from 'vitest'
import { aged, agreement, bare, contentOf, mixCase, readQuery } from './wire.ts'

const label = fc.stringMatching(/^[a-zA-Z0-9-]{1,12}$/)
const name = fc.array(label, { minLength: 1, maxLength: 4 }).map((labels) => labels.join('.'))
const ttl = fc.nat(100_000)
const record: fc.Arbitrary<Answer> = fc.oneof(
  fc.record({ type: fc.constant('A' as const), name, ttl, data: fc.ipV4() }),
  fc.record({
    type: fc.constant('AAAA' as const),
    name,
    ttl,
    data: fc
      .ipV6()
      .map(
        (text) =>
          packet.decode(
            packet.encode({ type: 'response', answers: [{ type: 'AAAA', name: 'x', data: text }] }),
          ).answers![0]! as { data: string },
      )
      .map(({ data }) => data),
  }),
  fc.record({ type: fc.constant('CNAME' as const), name, ttl, data: name }),
  fc.record({ type: fc.constant('TXT' as const), name, ttl, data: label }),
)
const opt = { type: 'OPT', name: '.', udpPayloadSize: 1232, flags: 0, options: [] } as unknown as Answer
const query = fc
  .record({ name, type: fc.constantFrom('A', 'AAAA', 'TXT'), edns: fc.boolean() })
  .map(({ name, type, edns }) =>
    packet.encode({
      type: 'query',
      id: 7,
      flags: packet.RECURSION_DESIRED,
      questions: [{ name, type } as never],
      additionals: edns ? [opt] : [],
    } satisfies Packet),
  )

/** An answer to a query, as an upstream would write it. */
const answerTo = (message: Buffer, records: readonly Answer[], flags = 0) =>
  packet.encode({
    type: 'response',
    id: 9,
    flags,
    questions: packet.decode(message).questions,
    answers: [...records],
    additionals: [opt],
  })
const ttlOf = (one: Answer) => ('ttl' in one ? one.ttl! : 0)

/** Returns a query with an id as it would be sent. */
const sentAs = (message: Buffer, id: number) => Buffer.concat([Buffer.from([0, id]), message.subarray(2)])

test('a query is read as the library reads it, and its answers repeat the question as it was asked', () => {
  fc.assert(
    fc.property(query, (message) => {
      const { questions, additionals } = packet.decode(message)
      const read = readQuery(Buffer.from(message))!
      expect([read.name, read.edns, read.size]).toEqual([
        questions![0]!.name.toLowerCase(),
        additionals!.length > 0,
        additionals!.length > 0 ? 1232 : 512,
      ])
      expect(packet.decode(bare(read, 3))).toMatchObject({
        id: 7,
        rcode: 'NXDOMAIN',
        flag_ra: true,
        flag_rd: true,
        questions,
        answers: [],
        additionals: [],
      })
      expect(packet.decode(bare(read, 'cut')).flag_tc).toBe(true)
      // Equal questions are equal bytes, however they are written.
      expect(packet.decode(read.message).questions![0]!.name).toBe(questions![0]!.name.toLowerCase())
    }),
  )
})

test('an answer keeps all but its id, its question as it was asked, and its lives, which grow older and end soon', () => {
  fc.assert(
    fc.property(query, fc.array(record, { maxLength: 6 }), fc.nat(70), (message, records, age) => {
      const read = readQuery(Buffer.from(message))!
      const found = answerTo(read.message, records)
      expect(contentOf(found, read, 60)!.lives).toBe(
        records.length === 0 ? 0 : Math.min(60, ...records.map(ttlOf)),
      )
      const [before, after] = [
        packet.decode(found),
        packet.decode(aged(Buffer.from(found), { ...read, id: 4711 }, age, 10)),
      ]
      expect([after.id, after.questions, after.additionals]).toEqual([
        4711,
        packet.decode(message).questions,
        before.additionals,
      ])
      // A name may point into the question, whose case is now another.
      const same = (one: Answer) => ({
        ...one,
        name: one.name.toLowerCase(),
        ...('data' in one && one.type === 'CNAME' && { data: one.data.toLowerCase() }),
      })
      expect(after.answers!.map(same)).toEqual(
        before.answers!.map((one) =>
          same({ ...one, ttl: Math.max(0, Math.min(10, ttlOf(one) - age)) } as Answer),
        ),
      )
    }),
  )
})

test('an answer agrees with what was sent, in its case too or not, or does not', () => {
  const read = readQuery(
    packet.encode({ type: 'query', id: 7, questions: [{ type: 'A', name: 'open-names.example' }] }),
  )!
  const sent = sentAs(read.message, 9)
  mixCase(sent, read.end, () => 1)
  const [exact, plain] = [answerTo(sent, []), answerTo(read.message, [])]
  const other = answerTo(
    packet.encode({ type: 'query', id: 7, questions: [{ type: 'AAAA', name: 'open-names.example' }] }),
    [],
  )
  expect(
    [exact, plain, other, sent, exact.subarray(0, 20)].map((found) => agreement(found, sent, read.end)),
  ).toEqual(['exact', 'other-case', 'none', 'none', 'none'])
  expect(agreement(exact, sentAs(sent, 8), read.end)).toBe('none')
})

describe('what an answer says', () => {
  const ask = readQuery(
    packet.encode({ type: 'query', id: 7, questions: [{ type: 'A', name: 'open.example' }] }),
  )!
  const a = (name: string, data: string): Answer => ({ type: 'A', name, ttl: 60, data })
  const alias = (name: string, data: string): Answer => ({ type: 'CNAME', name, ttl: 60, data })
  const message = (answers: Answer[], more: Partial<Packet> = {}) =>
    packet.encode({
      type: 'response',
      id: 9,
      questions: packet.decode(ask.message).questions,
      answers,
      ...more,
    })
  const service = (type: number, target: string, hints: [key: number, ...bytes: number[]][]) => {
    const name = [
      ...target
        .split('.')
        .filter(Boolean)
        .flatMap((part) => [part.length, ...Buffer.from(part)]),
      0,
    ]
    return {
      type: `UNKNOWN_${type}`,
      name: 'open.example',
      ttl: 60,
      data: Buffer.from([
        0,
        1,
        ...name,
        ...hints.flatMap(([key, ...bytes]) => [0, key, 0, bytes.length, ...bytes]),
      ]),
    } as unknown as Answer
  }

  test.each<[string, Buffer, string[], string[]]>([
    ['the address of the name', message([a('open.example', '192.0.2.7')]), ['192.0.2.7'], []],
    [
      'of its alias, in any order',
      message([
        a('c.example', '192.0.2.7'),
        alias('B.example', 'c.example'),
        alias('open.example', 'b.example'),
      ]),
      ['192.0.2.7'],
      ['b.example', 'c.example'],
    ],
    [
      'not of a name that it is no alias of',
      message([a('other.example', '192.0.2.7'), alias('b.example', 'other.example')]),
      [],
      [],
    ],
    [
      'not in another section',
      message([], {
        additionals: [a('open.example', '192.0.2.7')],
        authorities: [a('open.example', '192.0.2.8')],
      }),
      [],
      [],
    ],
    [
      'aliases that go round',
      message([alias('open.example', 'b.example'), alias('b.example', 'open.example')]),
      [],
      ['b.example'],
    ],
    [
      'hints of a service binding, and its target',
      message([
        service(65, 'svc.example', [
          [4, 192, 0, 2, 9],
          [6, 0x20, 1, 0xd, 0xb8, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 5],
        ]),
      ]),
      ['192.0.2.9', '2001:db8::5'],
      ['svc.example'],
    ],
    [
      'a service binding to itself',
      message([service(64, '', [[4, 192, 0, 2, 9, 192, 0, 2, 10]])]),
      ['192.0.2.9', '192.0.2.10'],
      [],
    ],
    [
      'a whole tree by another name',
      message([
        { type: 'DNAME', name: 'example', ttl: 60, data: 'elsewhere.test' } as Answer,
        a('open.elsewhere.test', '192.0.2.7'),
      ]),
      ['192.0.2.7'],
      ['open.elsewhere.test'],
    ],
  ])('%s', (_, found, addresses, aliases) => {
    const content = contentOf(found, ask, 60)!
    expect([content.addresses, content.aliases]).toEqual([addresses, aliases])
    expect(content.mentioned).toEqual(expect.arrayContaining(addresses))
  })

  test('every address in it is mentioned, wherever it stands', () => {
    expect(
      contentOf(
        message([a('x.example', '192.0.2.1')], {
          authorities: [a('y.example', '192.0.2.2')],
          additionals: [a('z.example', '192.0.2.3')],
        }),
        ask,
        60,
      )!.mentioned,
    ).toEqual(['192.0.2.1', '192.0.2.2', '192.0.2.3'])
  })

  test('what is cut, or failed, or cannot be read, is not given again', () => {
    const one = a('open.example', '192.0.2.7')
    for (const [flags, lives] of [
      [0, 60],
      [3, 60],
      [2, 0],
      [5, 0],
      [packet.TRUNCATED_RESPONSE, 0],
    ] as const)
      expect([flags, contentOf(answerTo(ask.message, [one], flags), ask, 90)?.lives]).toEqual([flags, lives])
    expect(contentOf(answerTo(ask.message, [one]).subarray(0, -15), ask, 90)).toBeNull()
  })
})

test('whatever bytes come, reading ends, with a query or without', () => {
  fc.assert(
    fc.property(
      fc.oneof(
        fc.uint8Array({ maxLength: 90 }),
        fc
          .tuple(query, fc.nat(60), fc.nat(255))
          .map(([message, at, byte]) =>
            Buffer.from(message).fill(byte, at % message.length, (at % message.length) + 1),
          ),
      ),
      (bytes) => {
        const message = Buffer.from(bytes)
        const read = readQuery(message)
        if (read)
          expect([bare(read, 2).length <= message.length, read.end <= message.length]).toEqual([true, true])
        const fixed = readQuery(
          packet.encode({ type: 'query', id: 1, questions: [{ type: 'A', name: 'a.example' }] }),
        )!
        contentOf(message, fixed, 60)
      },
    ),
    { numRuns: 2000 },
  )
})
