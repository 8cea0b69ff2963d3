import { createSocket } from 'node:dgram'
import { connect, createServer } from 'node:net'
import packet, { type Answer, type DecodedPacket, type Packet } from 'dns-packet'
import fc from 'fast-check'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { startResolver, type Resolver, type ResolverSetting } from './resolver.ts'

const HOST = '127.0.0.1'
let stops: (() => void)[] = []
let resolver: Resolver & { port: number }
const resolved: string[] = []
const faults: unknown[] = []
/** The reports on upstreams. */
const told: string[] = []
/** The questions to the upstreams. */
const asked: string[] = []

/** The answers of the upstream of the tests, by name. */
const ZONE: Readonly<Record<string, Answer[]>> = {
  'open.example': [{ type: 'A', name: 'open.example', ttl: 3600, data: '192.0.2.7' }],
  'alias.example': [
    { type: 'CNAME', name: 'alias.example', ttl: 5, data: 'open.example' },
    { type: 'A', name: 'open.example', ttl: 3600, data: '192.0.2.7' },
  ],
  'brief.example': [
    { type: 'CNAME', name: 'brief.example', ttl: 3600, data: 'open.example' },
    { type: 'A', name: 'open.example', ttl: 1, data: '192.0.2.8' },
  ],
  'never.example': [{ type: 'A', name: 'never.example', ttl: 0, data: '192.0.2.9' }],
  'found.closed.example': [{ type: 'A', name: 'found.closed.example', ttl: 60, data: '192.0.2.55' }],
  'six.example': [{ type: 'AAAA', name: 'six.example', ttl: 60, data: '2001:db8::7' }],
  'long.example': Array.from({ length: 60 }, (_, index): Answer => ({
    type: 'TXT',
    name: 'long.example',
    ttl: 9,
    data: `part ${index}`,
  })),
}

/** An upstream over UDP and TCP; one that lies answers with another number first. */
async function upstream(lies = false): Promise<number> {
  const answer = (message: Buffer) => {
    const { id, questions } = packet.decode(message)
    const answers = ZONE[questions![0]!.name.toLowerCase()]?.filter(
      ({ type }) => type === questions![0]!.type || type === 'CNAME',
    )
    asked.push(questions![0]!.name.toLowerCase())
    return packet.encode({ type: 'response', id, flags: answers ? 0 : 3, questions, answers: answers ?? [] })
  }
  const server = createServer((socket) =>
    socket
      .on('error', () => {})
      .on('data', (chunk: Buffer) => {
        const text = answer(chunk.subarray(2))
        socket.write(Buffer.concat([Buffer.from([text.length >> 8, text.length & 255]), text]))
      }),
  )
  const port = await new Promise<number>((resolve) =>
    server.listen(0, HOST, () => resolve((server.address() as { port: number }).port)),
  )
  const socket = createSocket('udp4')
  socket.on('message', (message, { port: to, address }) => {
    const right = answer(message)
    if (lies) {
      const wrong = packet.encode({
        type: 'response',
        id: packet.decode(message).id! ^ 1,
        questions: packet.decode(message).questions,
        answers: [{ type: 'A', name: 'open.example', ttl: 1, data: '203.0.113.66' }],
      })
      socket.send(wrong, to, address)
    }
    socket.send(right, to, address)
  })
  await new Promise<void>((resolve) => socket.bind(port, HOST, resolve))
  stops.push(() => {
    server.close()
    socket.close()
  })
  return port
}

/** A resolver for one asker, which allows everything where nothing else is said. */
async function resolverOn(setting: Partial<ResolverSetting>): Promise<Resolver & { port: number }> {
  const own = startResolver({
    upstreams: [],
    rule: () => null,
    isRefused: () => false,
    isExpected: () => true,
    clientOf: (_asker, from) => from,
    resolved: () => {},
    upstream: () => {},
    fault: (error) => faults.push(error),
    ...setting,
  })
  return Object.assign(own, { port: await own.open({ mac: null, network: null }) })
}

function ask(
  question: { type: string; name: string },
  { tcp = false, edns = true, port = resolver.port } = {},
): Promise<DecodedPacket & { rcode: string }> {
  const query = packet.encode({
    type: 'query',
    id: 4711,
    flags: packet.RECURSION_DESIRED,
    questions: [question as never],
    additionals: edns
      ? [{ type: 'OPT', name: '.', udpPayloadSize: 1232, flags: 0, options: [] } as never]
      : [],
  } satisfies Packet)
  return new Promise((resolve, reject) => {
    if (tcp) {
      const socket = connect(port, HOST, () =>
        socket.write(Buffer.concat([Buffer.from([query.length >> 8, query.length & 255]), query])),
      )
      let all = Buffer.alloc(0)
      socket.on('error', reject).on('data', (chunk: Buffer) => {
        all = Buffer.concat([all, chunk])
        if (all.length < 2 || all.length < 2 + all.readUInt16BE(0)) return
        socket.destroy()
        resolve(packet.decode(all.subarray(2)) as DecodedPacket & { rcode: string })
      })
      return
    }
    const socket = createSocket('udp4')
    socket.on('message', (message) => {
      socket.close()
      resolve(packet.decode(message) as DecodedPacket & { rcode: string })
    })
    socket.send(query, port, HOST)
  })
}

beforeAll(async () => {
  const nobody = createSocket('udp4')
  await new Promise<void>((resolve) => nobody.bind(0, HOST, resolve))
  stops.push(() => nobody.close())
  resolver = await resolverOn({
    upstreams: [
      { host: HOST, port: nobody.address().port },
      { host: HOST, port: await upstream(true) },
    ],
    rule: (name) =>
      name.endsWith('closed.example')
        ? { closed: 'Closed by Games in play hours', to: name.startsWith('paged') ? '192.0.2.80' : null }
        : null,
    upstream: (host, answers) => told.push(`${host} ${answers}`),
    resolved: (name, addresses) => {
      resolved.push(`${name} ${addresses.join()}`)
    },
    fault: (error) => faults.push(error),
  })
})
afterAll(() => {
  resolver.stop()
  stops.forEach((stop) => stop())
  stops = []
})

describe('a resolver', () => {
  test('forwards what is open, with short lives, past an upstream that is silent and an answer that is made up', async () => {
    const answers = async (name: string, type: string, tcp: boolean) =>
      (await ask({ type, name }, { tcp })).answers!.map(
        (one) => `${one.type} ${'ttl' in one ? one.ttl : ''} ${'data' in one ? String(one.data) : ''}`,
      )
    expect(await answers('open.example', 'A', false)).toEqual(['A 10 192.0.2.7'])
    expect(await answers('Alias.Example', 'A', true)).toEqual(['CNAME 5 open.example', 'A 10 192.0.2.7'])
    expect(await answers('six.example', 'AAAA', false)).toEqual(['AAAA 10 2001:db8::7'])
    expect((await ask({ type: 'A', name: 'nowhere.example' })).rcode).toBe('NXDOMAIN')
    // The silent one is told of once it does not answer what every upstream knows.
    await expect.poll(() => told, { timeout: 5000 }).toEqual(['127.0.0.1 false'])
    expect(resolved).toEqual([
      'open.example 192.0.2.7',
      'alias.example 192.0.2.7',
      'six.example 2001:db8::7',
      'nowhere.example ',
    ])
  })

  test.each([
    ['A', ['0.0.0.0']],
    ['AAAA', ['::']],
    ['TXT', []],
    ['MX', []],
  ])('answers a closed name itself: %s', async (type, data) => {
    for (const tcp of [false, true]) {
      const { rcode, id, answers, additionals } = await ask({ type, name: 'www.Closed.example' }, { tcp })
      expect([rcode, id, answers!.map((one) => ('data' in one ? one.data : ''))]).toEqual([
        'NOERROR',
        4711,
        data,
      ])
      const [option] = (additionals![0] as unknown as { options: { code: number; data: Buffer }[] }).options
      expect([option!.code, option!.data.readUInt16BE(0), option!.data.subarray(2).toString()]).toEqual([
        15,
        15,
        'Closed by Games in play hours',
      ])
    }
    expect((await ask({ type, name: 'closed.example' }, { edns: false })).additionals).toEqual([])
  })

  test('a closed name leads to an address where that is said; what its own are is found by asking for it', async () => {
    const data = async (name: string, type: string) =>
      (await ask({ type, name })).answers!.map((one) => ('data' in one ? one.data : ''))
    expect([await data('paged.closed.example', 'A'), await data('paged.closed.example', 'AAAA')]).toEqual([
      ['192.0.2.80'],
      [],
    ])
    expect([
      await resolver.addressesOf('found.closed.example'),
      asked.filter((name) => name.includes('closed')).length,
    ]).toEqual([['192.0.2.55'], 2])
  })

  test('what was answered lately is answered again as long as all its records live, and told when it was asked for', async () => {
    const times = (name: string) => asked.filter((one) => one === name).length
    for (const [name, data] of [
      ['brief.example', '192.0.2.8'],
      ['never.example', '192.0.2.9'],
    ] as const) {
      for (let turn = 0; turn < 3; turn++)
        expect((await ask({ type: 'A', name })).answers!.at(-1)).toMatchObject({ data })
      expect(resolved.filter((line) => line.includes(data)).length).toBe(times(name))
    }
    expect([times('brief.example'), times('never.example')]).toEqual([1, 3])
    await new Promise((resolve) => setTimeout(resolve, 1100))
    await ask({ type: 'A', name: 'brief.example' })
    expect(times('brief.example')).toBe(2)
  })

  test('an answer over what the client takes is cut, and whole over TCP', async () => {
    const short = await ask({ type: 'TXT', name: 'long.example' }, { edns: false })
    expect([short.flag_tc, short.answers]).toEqual([true, []])
    expect((await ask({ type: 'TXT', name: 'long.example' }, { tcp: true })).answers!.length).toBe(60)
  })

  test('equal questions that wait are asked once, from changing ports, in a case that is hard to guess', async () => {
    const server = createSocket('udp4')
    const heard: { name: string; port: number }[] = []
    server.on('message', (message, { port, address }) => {
      const { id, questions } = packet.decode(message)
      heard.push({ name: questions![0]!.name, port })
      setTimeout(
        () =>
          server.send(
            packet.encode({
              type: 'response',
              id,
              questions,
              answers: [{ type: 'A', name: questions![0]!.name, ttl: 60, data: '192.0.2.9' }],
            }),
            port,
            address,
          ),
        100,
      )
    })
    await new Promise<void>((resolve) => server.bind(0, HOST, resolve))
    const own = await resolverOn({ upstreams: [{ host: HOST, port: server.address().port }] })
    const many = await Promise.all(
      Array.from({ length: 50 }, () => ask({ type: 'A', name: 'Same-Question.Example' }, { port: own.port })),
    )
    expect([
      heard.length,
      new Set(many.map(({ questions, answers }) => `${questions![0]!.name} ${answers!.length}`)).size,
    ]).toEqual([1, 1])
    expect(many[0]!.questions![0]!.name).toBe('Same-Question.Example')
    await Promise.all(
      Array.from({ length: 40 }, (_, index) =>
        ask({ type: 'A', name: `a-rather-long-name-${index}.example` }, { port: own.port }),
      ),
    )
    expect([
      new Set(heard.map(({ port }) => port)).size > 20,
      heard.filter(({ name }) => name !== name.toLowerCase()).length > 35,
    ]).toEqual([true, true])
    own.stop()
    server.close()
  })

  test('what leads to a blocked name is blocked, and what leads into this network is refused', async () => {
    const server = createSocket('udp4')
    server.on('message', (message, { port, address }) => {
      const { id, questions } = packet.decode(message)
      const { name } = questions![0]!
      const answers: Answer[] =
        name.toLowerCase() === 'inside.example'
          ? [{ type: 'A', name, ttl: 60, data: '192.168.77.1' }]
          : [
              { type: 'CNAME', name, ttl: 60, data: 'games.example' },
              { type: 'A', name: 'games.example', ttl: 60, data: '192.0.2.9' },
            ]
      server.send(packet.encode({ type: 'response', id, questions, answers }), port, address)
    })
    await new Promise<void>((resolve) => server.bind(0, HOST, resolve))
    const own = await resolverOn({
      upstreams: [{ host: HOST, port: server.address().port }],
      isRefused: (_, addresses) => addresses.includes('192.168.77.1'),
      rule: (name, asker) =>
        asker.mac === null && name === 'games.example' ? { closed: 'Blocked by No games', to: null } : null,
    })
    const other = await own.open({ mac: '02:00:00:00:00:0b', network: null })
    const data = async (name: string, port: number) =>
      (await ask({ type: 'A', name }, { port })).answers!.map((one) => ('data' in one ? one.data : '')).join()
    // Twice, so that what is known by then obeys it too.
    for (let turn = 0; turn < 2; turn++)
      expect([await data('alias.example', own.port), await data('alias.example', other)]).toEqual([
        '0.0.0.0',
        'games.example,192.0.2.9',
      ])
    expect((await ask({ type: 'A', name: 'inside.example' }, { port: own.port })).rcode).toBe('REFUSED')
    own.stop()
    server.close()
  })

  test('a client has so many connections, and one that reads nothing fills no memory', async () => {
    const own = await resolverOn({ rule: () => ({ closed: 'Blocked by a rule', to: null }) })
    const sockets = Array.from({ length: 40 }, () => connect(own.port, HOST))
    const closed = await Promise.all(
      sockets.map(
        (socket) =>
          new Promise<boolean>((resolve) => {
            socket.on('error', () => {}).once('close', () => resolve(true))
            setTimeout(() => resolve(false), 700)
          }),
      ),
    )
    expect(closed.filter(Boolean).length).toBe(24)
    const greedy = sockets[closed.indexOf(false)]!.pause()
    const query = packet.streamEncode({
      type: 'query',
      id: 1,
      questions: [{ type: 'A', name: 'x.example' }],
    } as Packet)
    const burst = Buffer.concat(Array.from({ length: 2000 }, () => query))
    const before = process.memoryUsage().rss
    let sent = 0
    const end = Date.now() + 2500
    while (Date.now() < end) {
      if (greedy.write(burst)) sent += burst.length
      else
        await Promise.race([
          new Promise((resolve) => greedy.once('drain', resolve)),
          new Promise((resolve) => setTimeout(resolve, 200)),
        ])
      if (greedy.writableLength > 50_000_000) break
    }
    expect([sent > 0, process.memoryUsage().rss - before < 120_000_000]).toEqual([true, true])
    sockets.forEach((socket) => socket.destroy())
    own.stop()
  })

  test('one that is stopped asks nobody any more', async () => {
    const silent = createSocket('udp4')
    let heard = 0
    silent.on('message', () => heard++)
    await new Promise<void>((resolve) => silent.bind(0, HOST, resolve))
    const stopped = await resolverOn({ upstreams: [{ host: HOST, port: silent.address().port }] })
    const client = createSocket('udp4')
    client.send(
      packet.encode({ type: 'query', id: 1, questions: [{ type: 'A', name: 'open.example' }] }),
      stopped.port,
      HOST,
    )
    await expect.poll(() => heard).toBe(1)
    stopped.stop()
    await new Promise((resolve) => setTimeout(resolve, 200))
    expect(heard).toBe(1)
    client.close()
    silent.close()
  })

  test('without an upstream that answers it says so, and where the message is none it is silent', async () => {
    const alone = await resolverOn({ upstreams: [] })
    expect((await ask({ type: 'A', name: 'open.example' }, { port: alone.port })).rcode).toBe('SERVFAIL')
    alone.stop()
    const socket = createSocket('udp4')
    let said = 0
    socket.on('message', () => said++)
    const good = packet.encode({ type: 'query', id: 1, questions: [{ type: 'A', name: 'closed.example' }] })
    const noise = fc.sample(
      fc.oneof(
        fc.uint8Array({ maxLength: 80 }),
        fc
          .tuple(fc.nat(good.length - 1), fc.nat(255))
          .map(([at, byte]) => Buffer.from(good).fill(byte, at, at + 1)),
        fc.nat(good.length).map((end) => good.subarray(0, end)),
      ),
      { numRuns: 400, seed: 7 },
    )
    for (const message of noise) socket.send(message, resolver.port, HOST)
    const tcp = connect(resolver.port, HOST, () => noise.forEach((message) => tcp.write(message)))
    tcp.on('error', () => {})
    await new Promise((resolve) => setTimeout(resolve, 500))
    expect((await ask({ type: 'A', name: 'closed.example' })).answers!.length).toBe(1)
    expect(said).toBeGreaterThan(0)
    socket.close()
    tcp.destroy()
  })
})
