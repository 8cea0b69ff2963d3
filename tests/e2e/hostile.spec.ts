import { connect } from 'node:net'
import { readdirSync, statSync } from 'node:fs'
import { join } from 'node:path'
import prand from 'pure-rand'
import { ROUTES } from '../../server/http/api-routes.ts'
import { IS_LONG } from '../support/long.ts'
import { PASSWORD, startPlace } from '../support/place.ts'
import { expect, test } from './support/place.ts'

/** A place of its own: nothing that is done to it is left for others. */
let place: Awaited<ReturnType<typeof startPlace>>
test.beforeAll(async () => {
  place = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
})
test.afterAll(() => place.stop())

/** Bodies that routes take, as a page would send them. */
const WHO = {
  everyone: true,
  newcomers: false,
  devices: [],
  groups: [],
  networks: [],
  except: { devices: [], groups: [], networks: [] },
}
const BODIES: readonly [method: string, path: string, body: object][] = [
  [
    'POST',
    '/api/devices',
    {
      name: 'X',
      kind: 'phone',
      adapters: [{ mac: '02:5e:30:00:00:01', medium: 'wifi' }],
      shielded: false,
      note: '',
    },
  ],
  [
    'POST',
    '/api/devices/many',
    {
      edits: [
        {
          id: null,
          device: { name: 'X', adapters: [{ mac: '02:5e:30:00:00:02', medium: 'wifi' }] },
          groups: ['New'],
          mark: null,
        },
      ],
      takeOut: [],
    },
  ],
  ['POST', '/api/groups', { name: 'X', members: ['hall-radio'], note: '' }],
  ['POST', '/api/networks', { name: 'X', interfaces: ['br1'], subnets: ['192.0.2.0/25'], note: '' }],
  [
    'POST',
    '/api/schedules',
    {
      name: 'X',
      week: 'Mo-Su 21:00-07:00',
      exceptions: [{ from: '2026-12-24', until: '2026-12-26', hours: 'off' }],
      note: '',
    },
  ],
  ['POST', '/api/site-lists', { name: 'X', entries: ['a.example'], note: '' }],
  [
    'POST',
    '/api/apps',
    { name: 'X', category: 'video', sites: ['a.example'], services: ['tcp/21'], note: '' },
  ],
  [
    'POST',
    '/api/rules',
    {
      name: 'X',
      effect: 'block',
      who: WHO,
      what: { internet: true },
      when: { from: '2026-12-05T14:00', until: '2026-12-05T18:00' },
    },
  ],
  ['POST', '/api/rules/many', { edits: [], takeOut: ['nothing'] }],
  ['PUT', '/api/rules/order', { ids: ['quiet-bench'] }],
  [
    'POST',
    '/api/overrides',
    {
      effect: 'allow',
      who: { ...WHO, macs: ['02:5e:30:00:00:09'] },
      from: null,
      until: '2099-11-27T20:00:00Z',
      note: '',
    },
  ],
  ['PUT', '/api/overrides/none', { until: '2099-01-01T00:00:00Z' }],
  ['PUT', '/api/place', { name: 'X', timeZone: 'Europe/Lisbon' }],
  ['POST', '/api/revisions', { note: 'X', again: 1 }],
  ['PUT', '/api/asides/0123456789abcdef', { reason: 'X' }],
  ['POST', '/api/tokens', { name: 'X' }],
  ['POST', '/api/draft/steps', { to: 'undo', step: 1 }],
  ['PUT', '/api/sightings/02:5e:10:00:00:30', { leftAlone: true }],
  [
    'PUT',
    '/api/gateway/settings',
    {
      closedAddresses: false,
      page: { shown: false, words: '' },
      lookups: { kept: true, days: 3, exempt: [] },
      localNames: [],
    },
  ],
  ['PUT', '/api/gateway/clock', { instant: null }],
  ['PUT', '/api/gateway/use', { mac: '02:5e:10:00:00:01', app: 'Quillpost' }],
  ['PUT', '/api/gateway/pretend', { trouble: 'passes' }],
  [
    'PUT',
    '/api/site-lists/LIST/source',
    { url: 'http://127.0.0.1:9/list', hours: 24, share: 20, inside: false, key: null },
  ],
  ['POST', '/api/site-lists/LIST/review', { use: true }],
  [
    'PUT',
    '/api/mail-server',
    {
      server: {
        ...{ host: '127.0.0.1', port: 9, security: 'none', user: '', password: null },
        from: 'kairostat@bindery.example',
      },
    },
  ],
  ['POST', '/api/webhooks', { url: 'http://127.0.0.1:9/', kinds: ['alarm'] }],
  [
    'POST',
    '/api/log-servers',
    { host: '127.0.0.1', port: 9, transport: 'udp', authority: '', kinds: ['alarm'] },
  ],
  ['PUT', '/api/notices', { mail: 'marta@bindery.example', kinds: ['alarm'] }],
  ['PUT', '/api/audit/kept', { days: 365 }],
  ['POST', '/api/transfer-keys', { name: 'branch' }],
  ['POST', '/api/account/second-factor', { password: 'wrong' }],
  ['PUT', '/api/account/second-factor', { code: '123456' }],
  ['POST', '/api/invitations', { role: 'helper', limit: { minutes: 10, groups: ['apprentices'] } }],
  ['PUT', '/api/people/nobody', { role: 'viewer', limit: null, isDisabled: false }],
  ['POST', '/api/pairing', { address: '127.0.0.1:9', code: 'ABCD-EFGH' }],
  ['POST', '/api/copies/review', { from: 'first', kind: 'schedule', ids: ['none'] }],
  ['PUT', '/api/account/password', { current: 'wrong', next: 'a long enough one' }],
]
const NASTY: readonly unknown[] = [
  null,
  '',
  ' ',
  '\0',
  'a\0b',
  '%',
  '%zz',
  {},
  [],
  [[]],
  { a: 1 },
  0,
  -1,
  1e308,
  true,
  'x'.repeat(20_000),
  '0000-01-01T00:00:00Z',
  '9999-12-31T23:59:59Z',
  '0000-01-01',
  '9999-12-31',
  '2026-02-30',
  '__proto__',
  'constructor',
  '\uD800',
  '🜁',
  Array.from({ length: 3000 }, () => 'x'),
]
/** Routes that never end, or end the session that asks. */
const ENDS_THE_TEST: readonly string[] = [
  'GET /api/events',
  'DELETE /api/session',
  'DELETE /api/sessions/{id}',
]
const QUERIES = [
  '/api/history?from=',
  '/api/lookups/search?until=2026-01-01T00:00:00Z&skip=',
  '/api/lookups/search?until=',
  '/api/lookups/learned?from=2026-01-01T00:00:00Z&until=2026-01-02T00:00:00Z&macs=',
  '/api/gateway/decision?at=2026-01-01T00:00:00Z&mac=',
  '/api/gateway/page?mac=02:5e:10:00:00:01&name=',
  '/api/draft/parts?mark=',
  '/api/revisions/',
  '/api/live?lists=',
]

/** Every place in a value, as a path of keys. */
function placesIn(value: unknown, path: (string | number)[] = []): (string | number)[][] {
  if (typeof value !== 'object' || value === null) return [path]
  return [
    path,
    ...Object.entries(value).flatMap(([key, inner]) =>
      placesIn(inner, [...path, Array.isArray(value) ? Number(key) : key]),
    ),
  ]
}
function replaced(value: unknown, [key, ...rest]: (string | number)[], by: unknown): unknown {
  if (key === undefined) return by
  const copy = structuredClone(value) as Record<string | number, unknown>
  copy[key] = replaced(copy[key], rest, by)
  return copy
}

test('what is too much or too slow is refused before it is taken', async () => {
  const cookie = await place.signIn()
  const { hostname, port, origin } = new URL(place.url)
  /**
   * Sends a head and then pieces of a body for a while.
   *
   * @returns what came back and how many bytes were taken
   */
  const pour = (path: string, method: string, more: string, piece: Buffer, everyMs: number, forMs: number) =>
    new Promise<{ said: string; sent: number; lasted: number }>((resolve) => {
      const socket = connect(Number(port), hostname)
      let [said, sent] = ['', 0]
      const begun = Date.now()
      const end = () => resolve({ said: said.split('\r\n')[0]!, sent, lasted: Date.now() - begun })
      socket
        .on('data', (data) => {
          said += String(data)
        })
        .on('close', end)
        .on('error', () => {})
      socket.write(
        `${method} ${path} HTTP/1.1\r\nHost: ${hostname}:${port}\r\nOrigin: ${origin}\r\nContent-Type: application/json\r\nTransfer-Encoding: chunked\r\n${more}\r\n`,
      )
      const timer = setInterval(() => {
        if (socket.destroyed || Date.now() - begun > forMs) {
          clearInterval(timer)
          return socket.destroy()
        }
        if (socket.writableLength > 1_000_000) return
        socket.write(`${piece.length.toString(16)}\r\n`)
        socket.write(piece)
        socket.write('\r\n')
        sent += piece.length
      }, everyMs)
    })
  const big = Buffer.alloc(65_536, 'x')
  const [open, refused, signedIn, slow] = await Promise.all([
    pour('/api/session', 'POST', '', big, 2, 15_000),
    pour('/api/draft', 'PUT', '', big, 2, 15_000),
    pour('/api/devices', 'POST', `Cookie: ${cookie}\r\n`, big, 2, 15_000),
    pour('/api/session', 'POST', '', Buffer.from(' '), 1000, 40_000),
  ])
  expect([open.said, refused.said, signedIn.said, slow.said]).toEqual(
    [
      'HTTP/1.1 413 Server Error',
      'HTTP/1.1 401 Server Error',
      'HTTP/1.1 413 Server Error',
      'HTTP/1.1 408 Server Error',
    ].map((line) => expect.stringContaining(line.slice(0, 12)) as unknown),
  )
  expect([
    open.sent < 5_000_000,
    refused.sent < 5_000_000,
    signedIn.sent < 10_000_000,
    slow.lasted < 30_000,
  ]).toEqual([true, true, true, true])
  // A connection that says nothing ends.
  const idle = await new Promise<number>((resolve) => {
    const begun = Date.now()
    connect(Number(port), hostname)
      .on('close', () => resolve(Date.now() - begun))
      .on('error', () => {})
  })
  expect(idle).toBeLessThan(25_000)
})

test('whatever is sent, no route fails of itself', async () => {
  test.setTimeout(240_000)
  const cookie = await place.signIn()
  const failed: string[] = []
  let [sent, slowest] = [0, 0]
  const { siteLists } = (await (await place.send('GET', '/api/draft', { cookie })).json()) as {
    siteLists: readonly { readonly id: string }[]
  }
  const list = siteLists[0]!.id
  const send = async (method: string, path: string, body?: unknown) => {
    const begun = Date.now()
    const { status } = await place
      .send(method, path.replace('LIST', list), { cookie, body })
      .catch((error: Error) => ({ status: 500, cause: error.cause }))
    slowest = Math.max(slowest, Date.now() - begun)
    sent++
    // Failures outside are no fault of the server: a mail that is not accepted, a gateway that is away.
    if (status === 500) failed.push(`${status} ${method} ${path} ${JSON.stringify(body)?.slice(0, 160)}`)
  }
  // Each place gets every eighth of them, the next place others.
  let turn = 0
  for (const [method, path, body] of BODIES) {
    for (const where of placesIn(body)) {
      turn++
      for (const [index, nasty] of NASTY.entries())
        if (IS_LONG || (index + turn) % 8 === 0) await send(method, path, replaced(body, where, nasty))
    }
  }
  for (const query of QUERIES)
    for (const nasty of [
      '',
      '%',
      '%00',
      '%zz',
      "'",
      '9999-12-31T23:59:59Z',
      '0000-01-01T00:00:00Z',
      '-1',
      '1e99',
      '%F0%9F',
      'a%00b',
      '[]',
      '{}',
    ])
      await send('GET', query + nasty)
  for (const id of ['%', '%00', '%zz', 'a%00b', '..%2f..', '%F0%9F', 'x'.repeat(3000)]) {
    for (const kind of [
      'devices',
      'groups',
      'networks',
      'schedules',
      'site-lists',
      'apps',
      'rules',
      'overrides',
      'tokens',
      'asides',
    ])
      await send('DELETE', `/api/${kind}/${id}`)
  }
  expect([failed.slice(0, 20), sent > (IS_LONG ? 2000 : 400), slowest < 5000]).toEqual([[], true, true])
  // It works as before.
  expect((await place.send('GET', '/api/draft', { cookie })).status).toBe(200)
})

test('a page under another name that leads here gets nothing', async () => {
  const { hostname, port } = new URL(place.url)
  const ask = (host: string, path: string) =>
    new Promise<string>((resolve) => {
      const socket = connect(Number(port), hostname, () =>
        socket.write(`GET ${path} HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\n\r\n`),
      )
      socket.once('data', (data) => resolve(String(data).slice(9, 12)))
    })
  expect(
    await Promise.all(
      ['attacker.example', `attacker.example:${port}`, '198.51.100.7', ''].flatMap((host) =>
        ['/api/health', '/api/session', '/sign-in'].map((path) => ask(host, path)),
      ),
    ),
  ).toEqual(Array(12).fill('421'))
  expect(
    await Promise.all([`127.0.0.1:${port}`, `localhost:${port}`].map((host) => ask(host, '/api/health'))),
  ).toEqual(['200', '200'])
})

test('what it writes is for its user alone', async () => {
  const open = readdirSync(place.folder, { recursive: true, encoding: 'utf8' }).filter(
    (name) => (statSync(join(place.folder, name)).mode & 0o077) !== 0,
  )
  expect([statSync(place.folder).mode & 0o077, open]).toEqual([0, []])
})

test('of requests made up at random over all routes, each gets an answer, and none fails of itself', async () => {
  test.setTimeout(300_000)
  // A place of its own: wrong passwords of the other tests count at theirs.
  const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
  const cookie = await place.signIn()
  const generator = prand.xoroshiro128plus(20_261_201)
  const below = (count: number) => prand.unsafeUniformIntDistribution(0, count - 1, generator)
  const oneOf = <T>(all: readonly T[]): T => all[below(all.length)]!
  const ids = ['bench-1', 'apprentices', 'first', '1', 'none', '02:5e:10:00:00:30', '..', '%00', '%', '🜁']
  const queries = ['', '?from=', '?at=', '?until=2026-01-01T00:00:00Z&skip=', '?mac=', '?search=', '?lists=']
  const bodies = BODIES.map(([, , body]) => body)
  const routes = Object.keys(ROUTES).filter((route) => !ENDS_THE_TEST.includes(route))
  const mutated = (body: object): unknown => {
    let result: unknown = body
    for (let step = below(4); step > 0; step--)
      result = replaced(result, oneOf(placesIn(result)), below(2) === 0 ? oneOf(NASTY) : oneOf(bodies))
    return result
  }
  const failed: string[] = []
  for (let sent = 0; sent < (IS_LONG ? 3000 : 200); sent++) {
    const [method, pattern] = oneOf(routes).split(' ') as [string, string]
    const path = pattern.replaceAll(/\{\w+\}/g, () => oneOf(ids))
    const query = oneOf(queries)
    const known = BODIES.find(([way, where]) => way === method && where === pattern)?.[2]
    const body = method === 'GET' ? undefined : mutated(known && below(3) > 0 ? known : oneOf(bodies))
    // Written as UTF-8 first: half a character cannot be encoded.
    const value = encodeURIComponent(Buffer.from(String(oneOf(NASTY))).toString()).slice(0, 2000)
    const url = path + query + (query.endsWith('=') ? value : '')
    const options = { cookie, body, signal: AbortSignal.timeout(20_000) }
    const said = await place
      .send(method, url, options)
      .then(async (answer) => ({ status: answer.status, text: await answer.text() }))
      .catch((error: Error) => ({ status: String(error.cause ?? error), text: '' }))
    if (typeof said.status === 'string' || said.status === 500)
      failed.push(`${said.status} ${method} ${url} ${JSON.stringify(body)?.slice(0, 160)}`)
  }
  const after = await place.send('GET', '/api/draft', { cookie })
  await place.stop()
  expect([failed, after.status]).toEqual([[], 200])
})
