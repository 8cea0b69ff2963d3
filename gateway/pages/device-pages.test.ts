import { request as httpRequest } from 'node:http'
import { connect } from 'node:net'
import { mkdtemp, stat } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { canonicalText, digestOf } from '../../core/policy/canonical.ts'
import { instantText } from '../../core/time/instant.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { freePort } from '../../tests/support/place.ts'
import { RequestHolder } from './requests.ts'
import { startGateway, type GatewayProgram } from '../program/gateway.ts'
import { simulatedClient, simulatedPlane } from '../planes/simulated/plane.ts'
import { FIRST_SETTINGS } from '../../protocol/gateway/settings.ts'

const [TABLET, LAPTOP] = ['02:5e:10:00:00:01', '02:5e:10:00:00:02']
const policy = policyOf({
  kairostat: 1,
  place: { name: 'Saltmarsh <b>Bindery', timeZone: 'UTC' },
  devices: [
    { id: 'tablet', name: 'Tablet & pen', adapters: [{ mac: TABLET, medium: 'wifi' }] },
    { id: 'laptop', name: 'Laptop', adapters: [{ mac: LAPTOP, medium: 'wifi' }] },
  ],
  schedules: [{ id: 'day', name: 'All day', week: '24/7' }],
  rules: [
    {
      id: 'games',
      name: 'Homework',
      effect: 'block',
      who: { devices: ['tablet'] },
      what: { sites: ['games.example'] },
      when: { schedules: ['day'] },
    },
    {
      id: 'quiet',
      name: 'Laptop quiet',
      effect: 'block',
      who: { devices: ['laptop'] },
      what: { internet: true },
      when: { always: true },
    },
  ],
})

let folder: string, port: number, gateway: GatewayProgram
const start = async () => {
  gateway = await startGateway(simulatedPlane([], { timeZone: 'UTC', seed: 1, pagePort: port }), { folder })
}
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-pages-'))
  port = await freePort()
  await start()
  await gateway.enforce({ document: JSON.parse(canonicalText(policy)) as unknown, digest: digestOf(policy) })
  await gateway.set({ ...FIRST_SETTINGS, page: { shown: true, words: 'Ask Marta.' } })
})
afterEach(() => gateway.stop())

interface Answer {
  readonly status: number
  readonly html: string
  readonly location?: string
}

/** Sends what a browser of a device would, to the page under a name. */
function send(mac: string, name: string, path = '/', form?: string, headers: Record<string, string> = {}) {
  const host = [name, `${mac.replaceAll(':', '-')}.localhost`].filter(Boolean).join('.')
  const type = form === undefined ? {} : { 'content-type': 'application/x-www-form-urlencoded' }
  return new Promise<Answer>((resolve, reject) => {
    const request = httpRequest(
      {
        host: '127.0.0.1',
        port,
        path,
        method: form === undefined ? 'GET' : 'POST',
        headers: { host: `${host}:${port}`, ...type, ...headers },
      },
      async (response) => {
        const parts: Buffer[] = []
        for await (const part of response) parts.push(part as Buffer)
        const { location } = response.headers
        resolve({ status: response.statusCode!, html: Buffer.concat(parts).toString(), location })
      },
    )
    request.once('error', reject).end(form)
  })
}
const ask = (mac: string, form: string, headers?: Record<string, string>) =>
  send(mac, 'games.example', '/kairostat/ask', form, headers)
const access = async (mac: string) => (await send(mac, '')).html

test('names of a simulated network say who asks for what', () => {
  for (const [name, mac, asked] of [
    ['02-5e-10-00-00-09.localhost', '02:5e:10:00:00:09', 'access.home.arpa'],
    ['a.games.example.02-5e-10-00-00-09.localhost', '02:5e:10:00:00:09', 'a.games.example'],
    ['games.example', null, 'access.home.arpa'],
  ] as const)
    expect(simulatedClient(name)).toEqual({ mac, name: asked })
})

test('each device sees its own access and no other facts, under any name; nobody else sees anything', async () => {
  const [tablet, laptop] = [await access(TABLET), await access(LAPTOP)]
  for (const words of [
    'Some sites or apps are blocked for you',
    'This is <b>Tablet &amp; pen</b>',
    'Homework',
    'Ask Marta.',
  ])
    expect(tablet).toContain(words)
  expect(tablet).toContain('Saltmarsh &lt;b&gt;Bindery')
  expect(tablet).not.toMatch(/Laptop|02:5e:10:00:00:02/)
  expect(laptop).toContain('The internet is blocked for you')
  expect(laptop).not.toMatch(/Tablet|Homework|02:5e:10:00:00:01/)
  expect((tablet.match(/<svg/g) ?? []).length).toBe(7)
  expect((await send(TABLET, 'games.example')).status).toBe(403)
  expect((await send(TABLET, 'games.example', '/kairostat/access')).html).toContain('Tablet &amp; pen')
  // Times are as its reader's language says them.
  for (const [language, words] of [
    ['en-US,en;q=0.5', '6 pm'],
    ['en-GB', '18:00'],
    ['pt', '18:00'],
    ['../x', '18:00'],
    ['en-US-US-US', '18:00'],
  ] as const)
    expect((await send(TABLET, '', '/', undefined, { 'accept-language': language })).html).toContain(
      `<span>${words}</span>`,
    )
  const unknown = await access('02:5e:10:00:00:77')
  expect(unknown).toContain('not known by name (02:5e:10:00:00:77)')
  expect(unknown).not.toMatch(/Tablet|Laptop/)
  // A device to which nothing is ever blocked has nothing to ask for.
  expect([tablet.includes('<form'), unknown.includes('<form')]).toEqual([true, false])
})

test('a request waits, is answered, and both are there after a new start; the page asks anew only while it waits', async () => {
  const changes: string[] = []
  const watching = new AbortController()
  void gateway.watch((change) => changes.push(change), watching.signal)
  expect(await ask(TABLET, 'minutes=30&words=%3Ci%3Ehomework')).toMatchObject({
    status: 303,
    location: '/kairostat/access',
  })
  expect(changes).toContain('requests')
  watching.abort()
  const waiting = await access(TABLET)
  expect(waiting).toContain('http-equiv="refresh"')
  expect(waiting).toContain('You asked for 30 minutes')
  expect(waiting).not.toContain('<form')
  const [request] = await gateway.requests()
  expect(request).toMatchObject({ mac: TABLET, minutes: 30, words: '<i>homework', answer: null })
  expect((await ask(TABLET, 'minutes=30')).html).toContain('You have asked already')
  // Of the other device nothing changes.
  expect(await access(LAPTOP)).not.toContain('You asked')

  await gateway.stop()
  await start()
  expect(await gateway.requests()).toEqual([request])
  const until = instantText(Math.floor(Date.now() / 1000) + 1800)
  for (const answer of [
    { granted: true, until: null },
    { granted: false, until },
    { granted: true, until: 'soon' },
    7,
  ])
    await expect(gateway.answerRequest(request!.id, answer)).rejects.toThrow('An answer is granted')
  expect(await gateway.answerRequest('nobody', { granted: false, until: null })).toBe(false)
  expect(await gateway.answerRequest(request!.id, { granted: true, until })).toBe(true)
  const granted = await access(TABLET)
  expect(granted).toContain('Granted until')
  expect(granted).not.toContain('http-equiv="refresh"')
  // A request may be answered again: the last answer counts, and one may ask again.
  await gateway.answerRequest(request!.id, { granted: false, until: null })
  expect(await access(TABLET)).toContain('Declined')
  expect((await ask(TABLET, 'minutes=15')).status).toBe(303)
  expect((await gateway.requests()).length).toBe(2)
})

test('what is not a request of the page itself is none', async () => {
  for (const [form, headers] of [
    ['minutes=30', { origin: 'http://elsewhere.example' }],
    ['minutes=30', { origin: 'null' }],
    ['{"minutes":30}', { 'content-type': 'application/json' }],
    ['minutes=31', undefined],
    ['', undefined],
    [`minutes=30&words=${'a'.repeat(201)}`, undefined],
    [`minutes=30&words=${'a'.repeat(100_000)}`, undefined],
  ] as const) {
    const { status, html } = await ask(TABLET, form, headers)
    expect([status === 403 || status === 409, html.length < 20_000]).toEqual([true, true])
  }
  expect(await gateway.requests()).toEqual([])
  const own = `http://games.example.${TABLET.replaceAll(':', '-')}.localhost:${port}`
  expect((await ask(TABLET, 'minutes=30', { origin: own })).status).toBe(303)
})

test('one address has some connections at a time, so that it keeps nobody out', async () => {
  const sockets = Array.from({ length: 100 }, () => connect(port, '127.0.0.1').on('error', () => {}))
  await expect.poll(() => sockets.filter((socket) => socket.closed).length).toBe(68)
  for (const socket of sockets) socket.destroy()
  await expect.poll(() => access(TABLET).catch(() => '')).toContain('Tablet')
})

test('of ten thousand requests of one device one is taken, and none is written twice', async () => {
  let written = 0
  const holder = new RequestHolder({
    folder: null,
    damage: { note: () => {}, over: () => {} },
    nowSeconds: () => 0,
    isKnown: () => true,
    changed: () => written++,
  })
  const asks = Array.from({ length: 10_000 }, () => holder.ask({ mac: TABLET, minutes: 15, words: '' }))
  expect(new Set(await Promise.all(asks))).toEqual(new Set([null, 'waiting']))
  expect([written, holder.all().length]).toEqual([1, 1])
})

test('one request of a device waits and ten of a day are kept; made-up addresses do not shut others out', async () => {
  const answers = new Map<number, number>()
  for (let round = 0; round < 25; round++) {
    const statuses = await Promise.all(
      Array.from({ length: 20 }, () => ask(LAPTOP, 'minutes=15&words=please')),
    )
    for (const { status } of statuses) answers.set(status, (answers.get(status) ?? 0) + 1)
  }
  expect(Object.fromEntries(answers)).toEqual({ 303: 1, 409: 499 })
  for (let time = 1; time < 20; time++) {
    const [last] = (await gateway.requests()).slice(-1)
    await gateway.answerRequest(last!.id, { granted: false, until: null })
    await ask(LAPTOP, 'minutes=15')
  }
  expect((await gateway.requests()).length).toBe(10)
  expect((await ask(LAPTOP, 'minutes=15')).html).toContain('often enough for a day')
  for (let index = 0; index < 60; index++)
    await ask(`02:5e:99:00:00:${index.toString(16).padStart(2, '0')}`, 'minutes=15')
  expect((await gateway.requests()).length).toBe(30)
  expect((await ask(TABLET, 'minutes=15')).status).toBe(303)
  expect((await stat(join(folder, 'requests.json'))).size).toBeLessThan(10_000)
})
