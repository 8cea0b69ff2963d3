import { readdirSync } from 'node:fs'
import { run } from '../../cli/run.ts'
import { may, ROLES, TOKEN_ROLES, type Role } from '../../protocol/roles.ts'
import { ROUTES as DESCRIBED } from '../../server/http/api-routes.ts'
import { needOf } from '../../server/http/needs.ts'
import { PASSWORD, startPlace } from '../support/place.ts'
import { ahead, expect, test } from './support/place.ts'

const METHODS = ['get', 'post', 'put', 'delete']
/** Every route that the server has, from its files: [method, path]. */
const ROUTES = readdirSync('server/api', { recursive: true, encoding: 'utf8' })
  .filter((file) => file.endsWith('.ts') && !file.startsWith('[...'))
  .map((file): [string, string] => {
    const [name, method] = file.replace(/\.ts$/, '').split('.') as [string, string]
    expect(METHODS).toContain(method)
    return [method.toUpperCase(), `/api/${name.replace(/\/?index$/, '').replace('[id]', 'some-id')}`]
  })
const PAGES = readdirSync('app/pages').map((file) => `/${file.replace('.vue', '').replace('index', '')}`)
const OPEN = Object.keys(DESCRIBED).filter((name) => needOf(name) === null)

test('every route but sign-in and the health check refuses without a session', async ({ place }) => {
  expect(ROUTES.length).toBeGreaterThan(25)
  for (const [method, path] of [
    ...ROUTES,
    ['GET', '/api/no-such-route'],
    ['PATCH', '/api/devices/some-id'],
  ] as [string, string][]) {
    const { status } = await place.send(method, path, { body: method === 'GET' ? undefined : {} })
    expect(`${method} ${path} ${OPEN.includes(`${method} ${path}`) ? status !== 401 : status === 401}`).toBe(
      `${method} ${path} true`,
    )
  }
  expect(PAGES.length).toBeGreaterThan(5)
  for (const path of [...PAGES, '/no-such-page', '/_nuxt', '/sign-in/../', '//api/draft']) {
    const { status, headers } = await place.send('GET', path)
    // An address that could be taken for another one is not understood at all.
    const refused =
      [400, 401].includes(status) || (status === 302 && headers.get('location')!.startsWith('/sign-in?to='))
    expect([path, refused]).toEqual([path, !['/sign-in', '/join'].includes(path)])
  }
})

test('every route does for each role what the table says, and refuses the rest', async () => {
  const own = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
  try {
    const administrator = await own.signIn()
    const join = async (role: Role) => {
      const limit = role === 'helper' ? { minutes: 30, groups: ['apprentices'] } : null
      const made = await own.send('POST', '/api/invitations', {
        cookie: administrator,
        body: { role, limit },
      })
      const { code } = (await made.json()) as { code: string }
      const body = { code, name: `the ${role}`, password: PASSWORD }
      const joined = await own.send('POST', '/api/join', { body })
      return joined.headers.get('set-cookie')!.split(';')[0]!
    }
    for (const role of ROLES) {
      const cookie = await join(role)
      // The route that ends the session comes last.
      const names = Object.keys(DESCRIBED).filter((name) => name !== 'DELETE /api/session')
      for (const name of [...names, 'DELETE /api/session']) {
        const need = needOf(name)
        if (need === null || ['GET /api/events', 'GET /metrics'].includes(name)) continue
        const [method, path] = name.replace('{id}', 'some-id').split(' ') as [string, string]
        const answer = await own.send(method, path, { cookie, body: method === 'GET' ? undefined : {} })
        const said = answer.status === 403 ? ((await answer.json()) as { code: string }).code : null
        expect([role, name, said === 'not-allowed']).toEqual([role, name, !may(role, need)])
      }
    }
  } finally {
    await own.stop()
  }
})

test('every route does for a token of each role what the table says, and nothing that needs somebody signed in', async () => {
  const own = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
  try {
    const cookie = await own.signIn()
    for (const role of TOKEN_ROLES) {
      const made = await own.send('POST', '/api/tokens', { cookie, body: { name: role, role, days: 1 } })
      const { token } = (await made.json()) as { token: string }
      const headers = { authorization: `Bearer ${token}` }
      for (const [name, { session, token: isForLive }] of Object.entries(DESCRIBED)) {
        const need = needOf(name)
        if (need === null || name === 'GET /metrics') continue
        const [method, path] = name.replace('{id}', 'some-id').split(' ') as [string, string]
        const answer = await own.send(method, path, { headers, body: method === 'GET' ? undefined : {} })
        const said = answer.status === 403 ? ((await answer.json()) as { code: string }).code : null
        const isAllowed = role === 'live' ? isForLive === true : !session && may(role, need)
        expect([role, name, said === 'not-allowed']).toEqual([role, name, !isAllowed])
      }
      // A token alone is taken, without the address of a page; a wrong one is nobody.
      const plain = await fetch(`${own.url}/api/rules`, { method: 'POST', body: '{}', headers })
      expect([role, plain.status]).toEqual([role, may(role === 'live' ? 'viewer' : role, 'edit') ? 400 : 403])
      expect(
        (await own.send('GET', '/api/live', { headers: { authorization: 'Bearer wrong' } })).status,
      ).toBe(401)
    }
  } finally {
    await own.stop()
  }
})

test('a change must come from a page of the application', async ({ place }) => {
  const cookie = await place.signIn()
  for (const [method, path] of ROUTES.filter(([method]) => method !== 'GET')) {
    for (const origin of ['http://elsewhere.example', 'null', '']) {
      const response = await fetch(place.url + path, {
        method,
        headers: { cookie, 'content-type': 'text/plain', ...(origin && { origin }) },
        body: '{}',
      })
      expect([method, path, origin, response.status]).toEqual([method, path, origin, 403])
    }
  }
})

test('a session ends when it is revoked, on streams that are open too', async ({ place }) => {
  const cookie = await place.signIn()
  expect((await place.send('GET', '/api/draft', { cookie })).status).toBe(200)
  const stream = (await place.send('GET', '/api/events', { cookie })).body!.getReader()
  await stream.read()
  await place.send('DELETE', '/api/session', { cookie })
  expect((await place.send('GET', '/api/draft', { cookie })).status).toBe(401)
  let ended = false
  for (let reads = 0; reads < 20 && !ended; reads++) ended = (await stream.read()).done
  expect(ended).toBe(true)
})

test('answers carry the headers that keep other pages out, and errors their words', async ({ place }) => {
  const cookie = await place.signIn()
  const page = await place.send('GET', '/', { cookie })
  const policy = page.headers.get('content-security-policy')!
  expect([
    policy.includes(`frame-ancestors 'none'`),
    policy.includes(`default-src 'self'`),
    /script-src 'self' 'nonce-[^']{8,}'/.test(policy),
    policy.includes('unsafe-eval'),
  ]).toEqual([true, true, true, false])
  expect([
    page.headers.get('x-content-type-options'),
    page.headers.get('referrer-policy'),
    page.headers.get('access-control-allow-origin'),
  ]).toEqual(['nosniff', 'no-referrer', null])
  const cases: [string, string, unknown, number, { code: string; faults?: Record<string, unknown>[] }][] = [
    [
      'POST',
      '/api/schedules',
      { name: 'X', week: 'Mo 9-10' },
      400,
      {
        code: 'malformed',
        faults: [{ path: 'week', message: expect.stringContaining('“9” does not belong') as unknown }],
      },
    ],
    [
      'POST',
      '/api/devices',
      { name: '', adapters: [{ mac: 'x', medium: 'wifi' }], extra: 1 },
      400,
      { code: 'malformed', faults: [{ path: 'extra' }, { path: 'name' }, { path: 'adapters[0].mac' }] },
    ],
    ['DELETE', '/api/schedules/night', undefined, 409, { code: 'in-use' }],
    [
      'PUT',
      '/api/rules/no-such-rule',
      { name: 'X', effect: 'block', who: {}, what: {}, when: { always: true } },
      404,
      { code: 'not-found' },
    ],
    ['GET', '/api/no-such-route', undefined, 404, { code: 'not-found' }],
    ['PUT', '/api/gateway/clock', { instant: 'later' }, 400, { code: 'malformed' }],
  ]
  for (const [method, path, body, status, answer] of cases) {
    const response = await place.send(method, path, { body, cookie })
    expect([response.status, await response.json()]).toEqual([
      status,
      expect.objectContaining({
        ...answer,
        message: expect.any(String) as unknown,
        ...(answer.faults && {
          faults: answer.faults.map((fault) => expect.objectContaining(fault) as unknown),
        }),
      }),
    ])
  }
  const garbled = await fetch(`${place.url}/api/schedules`, {
    method: 'POST',
    headers: { cookie, 'origin': place.url, 'content-type': 'application/json' },
    body: '{',
  })
  expect([garbled.status, await garbled.json()]).toEqual([
    400,
    expect.objectContaining({ code: 'malformed' }),
  ])
})

test('the limit on tries passes no forged header', async () => {
  const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
  try {
    const tries = [...Array(8).keys()].map((number) => ({
      'x-forwarded-for': `198.51.100.${number}`,
      'x-real-ip': `198.51.100.${number}`,
      'forwarded': `for=198.51.100.${number}`,
    }))
    const statuses: number[] = []
    for (const headers of tries)
      statuses.push(
        (await place.send('POST', '/api/session', { body: { name: 'demo', password: 'wrong' }, headers }))
          .status,
      )
    expect(statuses).toEqual([401, 401, 401, 401, 401, 429, 429, 429])
  } finally {
    await place.stop()
  }
})

test('a token made on the page reads what is live, by the command line too, and nothing else, until it is revoked', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/settings/programs`)
  await page.getByLabel('Name of the token').fill('the shelf machine')
  await page.getByRole('button', { name: 'Create token' }).click()
  const token = (await page.locator('.made code').first().textContent()) as string
  expect(token).toMatch(/^[\w-]{43}$/)
  const read = (path: string) =>
    fetch(`${place.url}${path}`, { headers: { authorization: `Bearer ${token}` } }).then(
      ({ status }) => status,
    )
  for (const [, path] of ROUTES.filter(([method, path]) => method === 'GET' && !OPEN.includes(`GET ${path}`)))
    expect([path, await read(path)]).toEqual([
      path,
      ['/api/live', '/api/allowances'].includes(path) ? 200 : 403,
    ])
  const metrics = await fetch(`${place.url}/metrics`, { headers: { authorization: `Bearer ${token}` } })
  const figures = await metrics.text()
  expect([metrics.headers.get('content-type'), figures.includes('kairostat_policy_in_force 1')]).toEqual([
    'text/plain; version=0.0.4; charset=utf-8',
    true,
  ])
  expect(figures).toMatch(/kairostat_rule_packets_total\{rule="veiled-look-ups",outcome="logged"\} \d/)
  expect(figures).toMatch(
    /kairostat_device_bytes_total\{mac="02:5e:10:00:00:02",device="press-laptop",outcome="passed"\} \d/,
  )
  expect((await fetch(`${place.url}/metrics`)).status).toBe(401)
  const post = await fetch(`${place.url}/api/revisions`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}`, origin: place.url },
    body: '{}',
  })
  expect(post.status).toBe(403)

  const day = ahead(2, '').slice(0, 10)
  const { out } = await run(
    ['check', '--server', place.url, '--at', `${day}T10:00`, '--device', 'press-laptop'],
    Date.now() / 1000,
    token,
  )
  expect(out).toMatch(
    new RegExp(
      `1 of 1 blocked\\n.*\\n.*\\n {2}Press room laptop {2}listed-only {2}${day} 09:00 {2}${day} 12:30 {2}Quiet bench$`,
    ),
  )
  await page.reload()
  await expect(page.getByRole('region', { name: 'Access for programs' })).toContainText('last used')
  await page.getByRole('button', { name: 'Revoke the shelf machine' }).click()
  await page.getByRole('button', { name: 'Revoke', exact: true }).click()
  await expect(page.getByText('No tokens yet.')).toBeVisible()
  expect(await read('/api/live')).toBe(401)
})
