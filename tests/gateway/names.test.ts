import { afterAll, beforeAll, expect, test } from 'vitest'
import { cutA, FAR, MACS, policyOf, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork()
})
afterAll(() => network.stop())

const always = { when: { always: true } }
/** Servers that a machine may have been told to ask: the router, and others that it never reaches. */
const SERVERS = ['192.168.77.1', '203.0.113.99', '2001:db8:1::1', '2001:db8::99']
const gets = async (from: 'cliA' | 'cliB', to?: string) =>
  (await network.probe(from, 'udp', to?.includes(':') ? 6 : 4, '+1500', to)).length > 0

test('a name that is closed for a device has no address for it, whomever it asks and how; for others it has', async () => {
  await network.enforce(
    policyOf({
      rules: [
        {
          id: 'games',
          name: 'No games',
          effect: 'block',
          who: { devices: ['a'] },
          what: { sites: ['other.example'], keywords: ['game'] },
          ...always,
        },
      ],
    }),
  )
  for (const server of SERVERS) {
    for (const over of ['udp', 'tcp'] as const) {
      const answers = await Promise.all(
        [
          ['cliA', 'www.other.example', 'A'],
          ['cliA', 'other.example', 'AAAA'],
          ['cliA', 'minigame.example', 'A'],
          ['cliA', 'far.example', 'A'],
          ['cliB', 'other.example', 'A'],
        ].map(([from, name, type]) => network.lookup(from as 'cliA', name!, type as 'A', server, over)),
      )
      expect([server, over, ...answers]).toEqual([
        server,
        over,
        '0.0.0.0',
        '::',
        '0.0.0.0',
        '203.0.113.10',
        '203.0.113.11',
      ])
    }
  }
  const kept = (await network.gateway.lookups(null)).map(
    ({ mac, name, effect, tries }) => `${mac} ${name} ${effect} ${tries}`,
  )
  expect(kept).toContain(`${MACS.A} minigame.example block 8`)
  expect(kept).toContain(`${MACS.B} other.example allow 8`)
})

test('the resolver answers what was led to it alone, whoever sends to its port', async () => {
  const opens = async (from: 'isp' | 'cliA', to: string) =>
    (
      await network.run(
        from,
        'bash',
        '-c',
        `timeout 2 bash -c '</dev/tcp/${to}/3353' 2>&1 && echo open || echo closed`,
      )
    )
      .trim()
      .split('\n')
      .at(-1)
  expect(
    await Promise.all([
      opens('cliA', '192.168.77.1'),
      opens('isp', '203.0.113.2'),
      opens('isp', '2001:db8::2'),
    ]),
  ).toEqual(['closed', 'closed', 'closed'])
})

test('where only names are listed, their addresses pass once they were looked up, and no others; another policy keeps them', async () => {
  const rules = [
    {
      id: 'listed',
      name: 'Listed',
      effect: 'allow',
      who: { devices: ['a'] },
      what: { sites: ['far.example'] },
      ...always,
    },
    {
      id: 'rest',
      name: 'Rest',
      effect: 'block',
      who: { devices: ['a'] },
      what: { internet: true },
      ...always,
    },
  ]
  await network.enforce(policyOf({ rules: [rules[1]] }))
  expect(await Promise.all([gets('cliA', FAR[4]), gets('cliA', FAR[6]), gets('cliB', FAR[4])])).toEqual([
    false,
    false,
    true,
  ])
  await network.enforce(policyOf({ rules }))
  expect(
    await Promise.all([
      network.lookup('cliA', 'other.example', 'A', SERVERS[0]!),
      network.lookup('cliA', 'far.example', 'A', SERVERS[0]!),
      network.lookup('cliA', 'far.example', 'AAAA', SERVERS[0]!),
    ]),
  ).toEqual(['0.0.0.0', FAR[4], FAR[6]])
  const listed = () =>
    Promise.all([
      gets('cliA', FAR[4]),
      gets('cliA', FAR[6]),
      gets('cliA', '203.0.113.11'),
      gets('cliA', '2001:db8::11'),
    ])
  expect(await listed()).toEqual([true, true, false, false])
  await network.enforce(
    policyOf({
      rules: [
        { ...rules[0], id: 'before', what: { services: ['tcp/9'] }, who: { devices: ['b'] } },
        ...rules,
      ],
    }),
  )
  expect(await listed()).toEqual([true, true, false, false])
})

test('addresses of closed names are closed too where that is chosen, for those to whom the names are, and an old connection with them', async () => {
  const { settings } = await network.gateway.status()
  await network.enforce(
    policyOf({
      rules: [
        {
          id: 'far',
          name: 'Far',
          effect: 'block',
          who: { devices: ['a'] },
          what: { sites: ['far.example'] },
          ...always,
        },
      ],
    }),
  )
  const reached = () => Promise.all([gets('cliA', FAR[4]), gets('cliA', FAR[6]), gets('cliB', FAR[4])])
  const ask = () =>
    Promise.all(
      (['A', 'AAAA'] as const).map((type) => network.lookup('cliA', 'far.example', type, SERVERS[0]!)),
    )
  await ask()
  // A device that knows the address gets through, as long as the setting is off.
  expect(await reached()).toEqual([true, true, true])
  await network.gateway.set({ ...settings, closedAddresses: true })
  const going = network.probe('cliA', 'push', 4, Date.now() + 3000)
  await new Promise((resolve) => setTimeout(resolve, 1000))
  await ask()
  const closedAt = Date.now()
  expect((await going).filter((time) => time > closedAt + 300)).toEqual([])
  expect(await reached()).toEqual([false, false, true])
  await network.gateway.set(settings)
  expect(await reached()).toEqual([true, true, true])
})

test('a closed name leads to a page that says so, over plain HTTP alone; over TLS it fails at once', async () => {
  const { settings } = await network.gateway.status()
  await network.enforce(
    policyOf({
      rules: [
        {
          id: 'games',
          name: 'No games',
          effect: 'block',
          who: { devices: ['a'] },
          what: { sites: ['other.example'] },
          ...always,
        },
      ],
    }),
  )
  await network.gateway.set({ ...settings, page: { shown: true, words: 'The press room rests.' } })
  const get = (from: 'cliA' | 'isp', to: string) =>
    network.run(
      from,
      process.execPath,
      '-e',
      `require('http').get({ host: '${to}', headers: { host: 'other.example' }, timeout: 1500 }, r => r.on('data', d => console.log(r.statusCode + ' ' + d))).on('error', e => console.log(e.code)).on('timeout', () => process.exit())`,
    )
  expect(
    await Promise.all(
      (['A', 'AAAA'] as const).map((type) => network.lookup('cliA', 'other.example', type, SERVERS[0]!)),
    ),
  ).toEqual(['192.0.2.80', ''])
  const page = await get('cliA', '192.0.2.80')
  for (const words of [
    '403 <!doctype html>',
    'other.example</b> is blocked for you',
    'No games',
    'The press room rests.',
  ])
    expect(page).toContain(words)
  const begun = Date.now()
  expect(
    await network.run('cliA', 'bash', '-c', 'timeout 3 bash -c "</dev/tcp/192.0.2.80/443" 2>&1; true'),
  ).toContain('refused')
  expect(Date.now() - begun).toBeLessThan(2000)
  // From outside it is not there, and after it was switched off neither.
  expect(
    await network.run(
      'isp',
      'bash',
      '-c',
      'timeout 1 bash -c "</dev/tcp/203.0.113.2/3380" 2>/dev/null && echo open || echo closed',
    ),
  ).toContain('closed')
  await network.gateway.set(settings)
  expect(await network.lookup('cliA', 'other.example', 'A', SERVERS[0]!)).toBe('0.0.0.0')
  expect(
    await network.run(
      'cliA',
      'bash',
      '-c',
      'timeout 1 bash -c "</dev/tcp/192.168.77.1/3380" 2>/dev/null && echo open || echo closed',
    ),
  ).toContain('closed')
})

test('a device that is blocked reaches its own access and nothing else, asks there, and reads the answer', async () => {
  const { settings } = await network.gateway.status()
  await network.enforce(policyOf(cutA))
  await network.gateway.set({ ...settings, page: { shown: true, words: '' } })
  /** Sends as a device without scripts would; returns the status, the location and the page. */
  const open = async (from: 'cliA' | 'cliB', name: string, path = '/', form = '') => {
    const address = await network.lookup(from, name, 'A', SERVERS[0]!)
    const options = { host: address, path, method: form === '' ? 'GET' : 'POST', timeout: 1500 }
    const type = { 'content-type': 'application/x-www-form-urlencoded' }
    const headers = { host: name, ...(form !== '' && type) }
    return network.run(
      from,
      process.execPath,
      '-e',
      `const q = require('http').request(${JSON.stringify({ ...options, headers })}, r => {
        let t = ''; r.on('data', d => t += d).on('end', () => console.log(r.statusCode, r.headers.location, t)) })
      q.on('error', e => console.log(e.code)).on('timeout', () => { console.log('silence'); process.exit() })
      q.end(${JSON.stringify(form)})`,
    )
  }
  expect(await open('cliA', 'access.home.arpa')).toMatch(/^200 [\s\S]*The internet is blocked for you/)
  expect(await open('cliB', 'access.home.arpa')).toMatch(/^200 [\s\S]*The internet is allowed for you/)
  // Of whom nothing is blocked asks their own server; whoever is blocked lands on the page by any name.
  expect(await open('cliA', 'far.example')).toMatch(/^403 [\s\S]*far\.example<\/b> is blocked for you/)
  for (const mode of ['udp', 'tcp'] as const)
    for (const version of [4, 6] as const)
      expect(await network.probe('cliA', mode, version, '+800')).toEqual([])

  expect(await open('cliA', 'far.example', '/kairostat/ask', 'minutes=30&words=homework')).toMatch(
    /^303 \/kairostat\/access/,
  )
  const requests = await network.gateway.requests()
  expect(requests.map(({ mac, minutes, words }) => [mac, minutes, words])).toEqual([[MACS.A, 30, 'homework']])
  expect(await open('cliA', 'access.home.arpa')).toContain('Asked, not answered yet')
  expect(await open('cliB', 'access.home.arpa')).not.toContain('30 minutes')
  const until = new Date(Date.now() + 1_800_000).toISOString().replace(/\.\d+/, '')
  await network.gateway.answerRequest(requests[0]!.id, { granted: true, until })
  expect(await open('cliA', 'access.home.arpa')).toContain('Granted until')
  expect(await open('cliA', 'access.home.arpa')).not.toContain('Office desktop')
  // From outside nobody sees it.
  expect(
    await network.run(
      'isp',
      'bash',
      '-c',
      'timeout 1 bash -c "</dev/tcp/203.0.113.2/3380" 2>/dev/null && echo open || echo closed',
    ),
  ).toContain('closed')
  await network.gateway.set(settings)
  expect(await network.lookup('cliA', 'access.home.arpa', 'A', SERVERS[0]!)).toBe('0.0.0.0')
})

test('look-ups over TLS are refused to all but who is shielded', async () => {
  const [a, b] = (policyOf({}) as { devices: object[] }).devices
  await network.enforce(policyOf({ devices: [a, { ...b, shielded: true }] }))
  const tries = (['tcp', 'udp'] as const).flatMap((mode) =>
    ([4, 6] as const).map((version) => [mode, version] as const),
  )
  const opened = (from: 'cliA' | 'cliB') =>
    Promise.all(
      tries.map(async ([mode, version]) => {
        return (await network.probe(from, mode, version, '+1500', FAR[version], 853)).length > 0
      }),
    )
  expect([await opened('cliA'), await opened('cliB')]).toEqual([
    [false, false, false, false],
    [true, true, true, true],
  ])
})
