import { spawn, type ChildProcess } from 'node:child_process'
import { existsSync } from 'node:fs'
import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import prand from 'pure-rand'
import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import { versionTag } from '../../core/policy/canonical.ts'
import type { Policy } from '../../core/policy/types.ts'
import { fillDemo } from '../../server/demo/fill.ts'
import { openServer } from '../../server/database/postgres.ts'
import { newDatabase } from '../support/database.ts'
import { freePort, PASSWORD, startPlace, type Place } from '../support/place.ts'
import { startPostgres, type PostgresServer } from '../support/postgres.ts'

let server: PostgresServer
let [one, other]: [Started, Started] = [null!, null!]
type Started = Awaited<ReturnType<typeof startPlace>>
let cookie: string
let gateway: ChildProcess
let folder: string

beforeAll(async () => {
  server = await startPostgres()
  const DATABASE_URL = await newDatabase(server.url)
  const database = await openServer(DATABASE_URL, fail, 'alone')
  await fillDemo(database, PASSWORD, 'workshop', false)
  await database.close()
  one = await startPlace({ DATABASE_URL })
  other = await startPlace({ DATABASE_URL })
  cookie = await one.signIn()
  folder = await mkdtemp(join(tmpdir(), 'kairostat-shared-gateway-'))
}, 120_000)
afterAll(async () => {
  gateway?.kill()
  await one.stop()
  await other.stop()
  await server.stop()
  await rm(folder, { recursive: true, force: true })
})

function fail(error: Error): never {
  throw error
}
const ask = async (place: Place, method: string, path: string, body?: unknown) => {
  const answer = await place.send(method, path, { cookie, body })
  return { status: answer.status, body: (await answer.json()) as Record<string, unknown> }
}
/** The number of edits: ten thousand take minutes. */
const EDITS = Number(process.env.KAIROSTAT_TEST_EDITS ?? 1000)
interface GatewayView {
  readonly state: string
  readonly status: { readonly digest: string; readonly plane: string } | null
}
const gatewayAt = async (place: Place) =>
  (await ask(place, 'GET', '/api/gateway')).body as unknown as GatewayView

test('what one process changes the other shows, and what runs in one the other asks it', async () => {
  const streams = await Promise.all([one, other].map((place) => eventsOf(place)))
  const made = await ask(other, 'POST', '/api/groups', { name: 'From the other', note: '', members: [] })
  expect(made.status).toBe(200)
  for (const stream of streams) await vi.waitUntil(() => stream.heard.includes('draft'))
  const { groups } = (await ask(one, 'GET', '/api/draft')).body as { groups: { name: string }[] }
  expect(groups.map(({ name }) => name)).toContain('From the other')

  // A real gateway, paired through whichever process does not run the place as well.
  const address = `127.0.0.1:${await freePort()}`
  gateway = spawn(
    process.execPath,
    ['bin/kairostat', 'gateway', '--dataplane', 'simulated', '--listen', `tls:${address}`, '--state', folder],
    { stdio: ['ignore', 'pipe', 'inherit'] },
  )
  let said = ''
  gateway.stdout!.on('data', (part: Buffer) => (said += part.toString()))
  await vi.waitUntil(() => said.includes('listens on'), { timeout: 20_000 })
  const code = /Pairing code: (\S+)/.exec(said)![1]!
  const paired = await ask(other, 'POST', '/api/pairing', { address, code })
  expect([paired.status, paired.body.address]).toEqual([200, address])
  for (const place of [one, other])
    await vi.waitUntil(async () => (await gatewayAt(place)).state === 'in-force', { timeout: 20_000 })
  expect(await gatewayAt(one)).toMatchObject({ status: { digest: (await gatewayAt(other)).status!.digest } })
  for (const { stop } of streams) stop()
  // The client is passed on: the wrong place, and no session, are refused there as here.
  expect((await other.send('GET', '/api/gateway')).status).toBe(401)
  const foreign = await other.send('PUT', '/api/gateway/settings', {
    cookie,
    body: {},
    headers: { origin: 'http://elsewhere.example' },
  })
  expect(foreign.status).toBe(403)
}, 60_000)

test('within five seconds of kill -9 the other process has the gateway, and applies what is changed', async () => {
  const before = (await gatewayAt(other)).status!.digest
  await one.kill()
  const killed = performance.now()
  await vi.waitUntil(async () => (await ask(other, 'GET', '/api/gateway')).status === 200, {
    timeout: 20_000,
    interval: 100,
  })
  expect((performance.now() - killed) / 1000).toBeLessThan(5)
  const applied = await ask(other, 'POST', '/api/revisions', { note: 'After the other died' })
  expect(applied.status).toBe(200)
  await vi.waitUntil(async () => (await gatewayAt(other)).state === 'in-force', { timeout: 20_000 })
  expect((await gatewayAt(other)).status!.digest).not.toBe(before)
  // One that comes back works beside it.
  await one.start()
  expect((await gatewayAt(one)).status!.digest).toBe((await gatewayAt(other)).status!.digest)
  const second = await ask(one, 'POST', '/api/places', { name: 'Added by one', timeZone: 'UTC' })
  const { id } = second.body as { id: string }
  expect((await ask(other, 'GET', `/api/places/${id}/gateway`)).status).toBe(200)
  expect((await ask(other, 'DELETE', `/api/places/${id}`)).status).toBe(200)
  await vi.waitUntil(async () => (await ask(one, 'GET', `/api/places/${id}/draft`)).status === 403)
}, 60_000)

test('what a removed place left at a process that was away is not what the next place of that name finds', async () => {
  const branch = { name: 'Branch', timeZone: 'UTC' }
  const { id } = (await ask(other, 'POST', '/api/places', branch)).body as { id: string }
  const folderAt = (place: Place) => join(place.folder, 'places', id)
  await vi.waitUntil(() => [one, other].some((place) => existsSync(folderAt(place))), { timeout: 20_000 })
  const runner = existsSync(folderAt(one)) ? one : other
  const survivor = runner === one ? other : one
  const left = join(folderAt(runner), 'gateway', 'left-by-the-first')
  await mkdir(dirname(left), { recursive: true })
  await writeFile(left, 'looked up by the first place')
  await runner.kill()
  await vi.waitUntil(async () => (await ask(survivor, 'DELETE', `/api/places/${id}`)).status === 200, {
    timeout: 20_000,
  })
  const again = await ask(survivor, 'POST', '/api/places', branch)
  expect(again.body).toMatchObject({ id })
  await runner.start()
  // The process that was away runs the new place as soon as the other is gone.
  await survivor.kill()
  await vi.waitUntil(async () => (await ask(runner, 'GET', `/api/places/${id}/gateway`)).status === 200, {
    timeout: 30_000,
    interval: 200,
  })
  expect([existsSync(folderAt(runner)), existsSync(left)]).toEqual([true, false])
  await survivor.start()
  expect((await ask(survivor, 'DELETE', `/api/places/${id}`)).status).toBe(200)
  await vi.waitUntil(() => ![one, other].some((place) => existsSync(folderAt(place))), { timeout: 20_000 })
}, 120_000)

test('a process that is stopped holds nobody up, loses what it ran, and ends when it goes on', async () => {
  other.signal('SIGSTOP')
  try {
    const begun = performance.now()
    const waiting = await ask(one, 'GET', '/api/gateway')
    expect([waiting.status, waiting.body.code]).toEqual([503, 'taken-over'])
    expect(performance.now() - begun).toBeLessThan(10_000)
    await vi.waitUntil(async () => (await ask(one, 'GET', '/api/gateway')).status === 200, {
      timeout: 40_000,
      interval: 300,
    })
    const { body } = await ask(one, 'GET', '/api/audit')
    expect(JSON.stringify(body)).toContain('gave no sign for 15 s')
  } finally {
    other.signal('SIGCONT')
  }
  await vi.waitUntil(
    () =>
      other.send('GET', '/api/health').then(
        () => false,
        () => true,
      ),
    { timeout: 20_000 },
  )
  await other.start()
  expect((await ask(other, 'GET', '/api/gateway')).status).toBe(200)
}, 120_000)

test('through a restart of the database both go on by themselves', async () => {
  await server.restart()
  for (const place of [one, other])
    await vi.waitUntil(
      async () => {
        const { status, body } = await ask(place, 'GET', '/api/gateway').catch(() => ({
          status: 0,
          body: {},
        }))
        return status === 200 && (body as { state?: string }).state === 'in-force'
      },
      { timeout: 30_000, interval: 300 },
    )
}, 60_000)

test('edits of four writers at two processes: none is lost, torn or done twice', async () => {
  const shared = (
    (await ask(one, 'POST', '/api/groups', { name: 'Shared', note: '0', members: [] })).body as { id: string }
  ).id
  const edits = { done: 0, refused: 0, shared: 0 }
  const models = await Promise.all([one, other, one, other].map((place, writer) => write(place, writer)))
  /** Writes as one writer; returns its own groups by id, as they must be at the end. */
  async function write(place: Place, writer: number): Promise<Map<string, string>> {
    const generator = prand.xoroshiro128plus(writer + 1)
    const random = () => prand.unsafeUniformIntDistribution(0, 999_999, generator) / 1_000_000
    const own = new Map<string, string>()
    for (let step = 0; step < EDITS / 4; step++) {
      const [id] = [...own.keys()].slice(Math.floor(random() * own.size))
      const choice = random()
      const name = `Writer ${writer}, ${step}`
      if (choice < 0.2) {
        await countUp()
        edits.shared++
      } else if (choice < 0.5 || id === undefined) {
        const made = await ask(place, 'POST', '/api/groups', { name, note: '', members: [] })
        expect(made.status).toBe(200)
        own.set((made.body as { id: string }).id, name)
      } else if (choice < 0.75) {
        expect((await ask(place, 'PUT', `/api/groups/${id}`, { name, note: '', members: [] })).status).toBe(
          200,
        )
        own.set(id, name)
      } else {
        expect((await ask(place, 'DELETE', `/api/groups/${id}`)).status).toBe(200)
        own.delete(id)
      }
      edits.done++
    }
    return own

    /**
     * Adds one to what all count together, as it was when it was read: again where somebody else came
     * before.
     */
    async function countUp(): Promise<void> {
      for (;;) {
        const { groups } = (await ask(place, 'GET', '/api/draft')).body as unknown as Pick<Policy, 'groups'>
        const group = groups.find((entry) => entry.id === shared)!
        const body = { name: 'Shared', note: String(Number(group.note) + 1), members: [] }
        const headers = { 'if-match': versionTag(group) }
        const { status } = await place.send('PUT', `/api/groups/${shared}`, { cookie, body, headers })
        if (status === 200) return
        expect(status).toBe(412)
        edits.refused++
      }
    }
  }
  const { groups } = (await ask(other, 'GET', '/api/draft')).body as unknown as Pick<Policy, 'groups'>
  const written = groups.filter(({ name }) => name.startsWith('Writer '))
  const expected = models.flatMap((model) => [...model])
  expect(new Map(written.map(({ id, name }) => [id, name]))).toEqual(new Map(expected))
  expect([edits.done, written.length, groups.find(({ id }) => id === shared)!.note]).toEqual([
    EDITS,
    expected.length,
    String(edits.shared),
  ])
  expect(edits.refused).toBeGreaterThan(0)
}, 400_000)

/** The topics that a process tells, as they come. */
async function eventsOf(place: Place) {
  const stop = new AbortController()
  const answer = await fetch(`${place.url}/api/events`, { headers: { cookie }, signal: stop.signal })
  const heard: string[] = []
  void (async () => {
    const decoder = new TextDecoder()
    for await (const part of answer.body!)
      heard.push(...[...decoder.decode(part).matchAll(/^data: (\w+)$/gm)].map(([, topic]) => topic!))
  })().catch(() => {})
  return { heard, stop: () => stop.abort() }
}
