import { readdirSync, statSync } from 'node:fs'
import { connect, type Socket } from 'node:net'
import { setTimeout as pause } from 'node:timers/promises'
import { BODY, ROUTES } from '../../server/http/api-routes.ts'
import { PASSWORD, startPlace } from '../support/place.ts'
import { expect, test } from './support/place.ts'

let place: Awaited<ReturnType<typeof startPlace>>
test.beforeAll(async () => {
  place = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
})
test.afterAll(() => place.stop())

/**
 * The longest time that somebody else waits for a page meanwhile (ms): far less than before there were
 * limits.
 */
const LONGEST_WAIT = 4000
/** By how much its memory may grow (MB): before there were limits it were two to three thousand. */
const MOST_GROWTH = 250

/** Does something, while somebody else asks for a page ten times a second and the memory is looked at. */
async function beside(work: () => Promise<void>) {
  const before = place.memory()
  const state = { isOver: false, slowest: 0, growth: 0 }
  const asking = (async () => {
    while (!state.isOver) {
      const begun = performance.now()
      await (await fetch(`${place.url}/sign-in`)).text()
      state.slowest = Math.max(state.slowest, performance.now() - begun)
      state.growth = Math.max(state.growth, place.memory() - before)
      await pause(100)
    }
  })()
  await work().finally(() => (state.isOver = true))
  await asking
  expect([state.slowest < LONGEST_WAIT, state.growth < MOST_GROWTH, state]).toEqual([true, true, state])
}

/** A connection on which something is sent and nothing is read. */
function deaf(text: string): Socket {
  const { hostname, port } = new URL(place.url)
  const socket = connect(Number(port), hostname)
  socket.on('error', () => {}).pause()
  socket.write(text)
  return socket
}
const get = (path: string, more = '') =>
  `GET ${path} HTTP/1.1\r\nHost: ${new URL(place.url).host}\r\n${more}\r\n`

test('many requests on connections that read nothing hold up nobody', async () => {
  const folder = '.output/public/_nuxt'
  const [largest] = readdirSync(folder)
    .filter((name) => name.endsWith('.js'))
    .sort((a, b) => statSync(`${folder}/${b}`).size - statSync(`${folder}/${a}`).size)
  await beside(async () => {
    const sockets = [
      ...Array.from({ length: 4 }, () => deaf(get(`/_nuxt/${largest}`).repeat(800))),
      ...Array.from({ length: 8 }, () => deaf(get('/api/health').repeat(800))),
      // As many as one address may have, each with one.
      ...Array.from({ length: 60 }, () => deaf(get(`/_nuxt/${largest}`))),
    ]
    await pause(5000)
    sockets.forEach((socket) => socket.destroy())
  })
})

test('a long list that nobody reads, asked for many times, holds up nobody else', async () => {
  const cookie = await place.signIn()
  const entries = Array.from({ length: 200_000 }, (_, index) => `name-number-${index}.of-the-list.example`)
  const made = await place.send('POST', '/api/site-lists', {
    cookie,
    body: { name: 'Long', entries, note: '' },
  })
  const { id } = (await made.json()) as { id: string }
  expect([made.status, id]).toEqual([200, 'long'])
  expect((await place.send('POST', '/api/revisions', { cookie, body: { note: '' } })).status).toBe(200)
  expect((await place.send('GET', `/api/site-lists/${id}/file?format=plain`, { cookie })).status).toBe(200)
  await beside(async () => {
    const sockets = Array.from({ length: 60 }, () =>
      deaf(get(`/api/site-lists/${id}/file?format=plain`, `Cookie: ${cookie}\r\n`)),
    )
    await pause(5000)
    sockets.forEach((socket) => socket.destroy())
  })
  const lines = async () => {
    const response = await place.send('GET', `/api/site-lists/${id}/file?format=plain`, { cookie })
    return (await response.text()).split('\n').filter(Boolean).length
  }
  await expect.poll(lines).toBe(200_000)
})

test('no route takes a body that is too long, too deep or too wide, and each says so', async () => {
  test.setTimeout(240_000)
  const cookie = await place.signIn()
  const changing = Object.entries(ROUTES).filter(([, { body }]) => body !== undefined)
  const wide = (length: number) => `[${'0,'.repeat(length / 2 - 2)}0]`
  const refused: string[] = []
  const send = async (name: string, text: string) => {
    const [method, path] = name.split(' ') as [string, string]
    const response = await fetch(place.url + path.replaceAll(/\{\w+\}/g, 'none'), {
      method,
      body: text,
      headers: { 'origin': place.url, cookie, 'content-type': 'application/json' },
    }).catch((error: Error) => ({ status: `no answer (${String(error.cause)})`, text: async () => '' }))
    const said = await response.text()
    const isRight = typeof response.status === 'number' && response.status < 500
    if (!isRight || said.length > 40_000)
      refused.push(`${name}: ${response.status}, ${said.length} characters, to ${text.slice(0, 30)}`)
  }
  await beside(async () => {
    const waiting = changing.flatMap(([name, { takes = 'usual' }]) => {
      const most = Math.min(BODY[takes], 1_000_000)
      return [
        `{"a":${'['.repeat(most / 4)}${']'.repeat(most / 4)}}`,
        wide(most - 100),
        `{"kinds":${wide(most - 100)},"ids":${wide(10)},"name":{"a":[]}}`,
        `{${Array.from({ length: 20_000 }, (_, index) => `"k${index}":0`).join()}}`.slice(0, most),
        `{"a":"${'x'.repeat(Math.min(BODY[takes] + 1000, 2_000_000))}"}`,
      ].map((text) => () => send(name, text))
    })
    await Promise.all(
      Array.from({ length: 10 }, async () => {
        for (let next = waiting.pop(); next; next = waiting.pop()) await next()
      }),
    )
  })
  expect(refused).toEqual([])
})

test('an address has one form, and which places there are is nobody’s to learn', async () => {
  const { hostname, port, host } = new URL(place.url)
  const ask = (path: string, cookie = '') =>
    new Promise<string>((resolve) => {
      const socket = connect(Number(port), hostname)
      let said = ''
      socket
        .on('data', (data) => (said += String(data)))
        .on('close', () => resolve(said))
        .on('error', () => {})
      socket.write(`GET ${path} HTTP/1.1\r\nHost: ${host}\r\nConnection: close\r\n${cookie}\r\n`)
    })
  for (const path of [
    '/x\\..\\..',
    '/api/../metrics',
    '//metrics',
    '/%2e%2E/metrics',
    '/a%5cb',
    '/a%00',
    '/a%0ab',
  ])
    expect([path, (await ask(path)).slice(9, 12)]).toEqual([path, '400'])
  const cookie = await place.signIn()
  const added = await place.send('POST', '/api/places', {
    cookie,
    body: { name: 'Paper store', timeZone: 'Europe/Madrid' },
  })
  const { id } = (await added.json()) as { id: string }
  const plain = (said: string, name: string) =>
    said
      .replaceAll(name, 'NAME')
      .replaceAll(/^(date|set-cookie|etag|last-modified|content-length):.*$/gim, '')
      .replaceAll(/nonce-[^']+/g, '')
      .replaceAll(/nonce="[^"]+"/g, '')
  for (const path of ['/', '/sign-in', '/rules', '/api/draft', '/api/session', '/api/health', '/api/nothing'])
    for (const before of ['/places/', '/api/places/']) {
      if (before === '/api/places/' && !path.startsWith('/api')) continue
      const rest = before === '/api/places/' ? path.slice(4) : path
      const [there, not] = [await ask(`${before}${id}${rest}`), await ask(`${before}never-was${rest}`)]
      expect(plain(not, 'never-was')).toBe(plain(there, id))
    }
})
