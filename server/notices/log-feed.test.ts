import { createServer, type Server, type Socket } from 'node:net'
import { once } from 'node:events'
import { afterAll, afterEach, beforeEach, expect, test, vi } from 'vitest'
import { policyOf } from '../../tests/support/arbitraries.ts'
import type { Alarm } from '../../protocol/gateway/alarm.ts'
import type { GatewayAnswer } from '../../protocol/answers.ts'
import type { Flow } from '../../protocol/gateway/evidence.ts'
import type { Lookup } from '../../protocol/gateway/gateway.ts'
import { LOG_KINDS, type LogKind } from '../../protocol/syslog.ts'
import { demoDocument } from '../demo/policy.ts'
import type { Database } from '../database/database.ts'
import { fillDraft } from '../draft/edit.ts'
import { record } from '../accounts/audit.ts'
import { LogFeed, newFlows } from './log-feed.ts'
import { deleteLogServer, logServersAnswer, makeLogServer, tryLogServer } from './log-servers.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

let sql: Database, feed: LogFeed, server: Server, port: number
let got = ''
const sockets = new Set<Socket>()
const away = { state: 'away' as const }
let view: Partial<GatewayAnswer>, recent: Flow[]

beforeEach(async () => {
  sql = await emptyDatabase(sql)
  await fillDraft(sql, policyOf(demoDocument('2026-11-28')))
  got = ''
  recent = []
  view = away
  await listen(0)
  const gateway = {
    evidence: () => Promise.resolve({ since: null, devices: [], clauses: [], recent }),
  }
  feed = new LogFeed({ sql, gateway, view: () => view as GatewayAnswer })
})
afterEach(async () => {
  feed.close()
  await hangUp()
})
afterAll(() => sql.close())

async function listen(at: number) {
  server = createServer((socket) => {
    sockets.add(socket)
    socket.on('data', (data) => (got += String(data))).on('error', () => {})
  }).listen(at, '127.0.0.1')
  await once(server, 'listening')
  port = (server.address() as { port: number }).port
}
async function hangUp() {
  for (const socket of sockets) socket.destroy()
  sockets.clear()
  await new Promise((resolve) => server.close(resolve))
}

const add = (kinds: readonly LogKind[] = LOG_KINDS) =>
  makeLogServer(sql, { host: '127.0.0.1', port, transport: 'tcp', authority: '', kinds }, 'ada')
/**
 * The words of the messages that arrived with their facts behind, taken apart by their counted octets (RFC
 * 6587, 3.4.1).
 */
function arrived(): string[] {
  const all: string[] = []
  for (let rest = Buffer.from(got); rest.length > 0;) {
    const space = rest.indexOf(' ')
    const end = space + 1 + Number(rest.subarray(0, space))
    const text = rest.subarray(space + 1, end).toString()
    const [, facts = '', said] =
      /^\S+ \S+ \S+ kairostat \d+ \w+ (?:-|\[kairostat@32473 (.*)\]) \ufeff(.*)$/s.exec(text)!
    all.push(`${said} ${facts}`.trim())
    rest = rest.subarray(end)
  }
  return all
}
const heard = (expected: unknown) => vi.waitFor(() => expect(arrived()).toEqual(expected))
const flow = (number: number, effect: Flow['effect'] = 'block'): Flow => ({
  at: '2026-11-28T18:02:11Z',
  mac: '02:5e:10:00:00:99',
  to: `tcp://203.0.113.10:${number}`,
  effect,
  because: null,
})

const lookup: Lookup = {
  mac: flow(1).mac,
  name: 'press.example',
  effect: 'block',
  first: flow(1).at,
  last: flow(1).at,
  tries: 3,
}

test('the audit log is told from then on, in order and once, through an outage of the server', async () => {
  await record(sql, 'settings', 'before the log server')
  const { id } = await add(['audit'])
  const told = (...entries: string[]) =>
    entries.map((entry) => expect.stringMatching(new RegExp(`^${entry} `)))
  await record(sql, 'edit', 'Rule added:\nNights')
  await feed.look()
  await feed.look()
  const first = ['Log server added: 127.0.0.1:\\d+ over TCP, told of: audit', 'Rule added:; Nights']
  await heard(told(...first))
  await hangUp()
  await record(sql, 'edit', 'while it is away')
  await feed.look()
  expect((await logServersAnswer(sql))[0]!.trouble).toBe('nothing answers on that port')
  await expect(tryLogServer(sql, id)).rejects.toMatchObject({ code: 'not-sent' })
  await listen(port)
  await tryLogServer(sql, id)
  await vi.waitFor(
    async () => {
      await feed.look()
      expect((await logServersAnswer(sql))[0]!.trouble).toBe('')
    },
    { timeout: 10_000, interval: 500 },
  )
  await heard(told(...first, 'A test message of Kairostat', 'while it is away'))
  await deleteLogServer(sql, id)
  await feed.look()
  await expect(deleteLogServer(sql, id)).rejects.toMatchObject({ code: 'not-found' })
})

test('alarms are told when they begin and when they are over', async () => {
  const alarm: Alarm = {
    kind: 'disk',
    about: 'state.json: no space',
    since: '2026-11-28T18:00:00Z',
    mac: null,
    because: null,
  }
  const standing = (alarms: readonly Alarm[]) =>
    ({ state: 'in-force', status: { alarms, clock: '2026-11-28T18:09:00Z' } }) as unknown as GatewayAnswer
  await add(['alarm'])
  view = standing([alarm])
  await feed.look()
  view = standing([{ ...alarm, about: 'state.json: still no space' }])
  await feed.look()
  view = away
  await feed.look()
  view = standing([])
  await feed.look()
  await heard([
    'The gateway cannot write state.json: no space. Free some space on its disk, or replace the disk. The current rules stay active. alarm="disk"',
    'Over: The gateway cannot write state.json: still no space. alarm="disk"',
  ])
})

test('dropped tries are told as they come, of many the latest, and look-ups only where they are wanted', async () => {
  await add(['drop'])
  view = { state: 'in-force' } as GatewayAnswer
  recent = [flow(2), flow(1)]
  await feed.look()
  recent = [flow(4, 'allow'), flow(3), flow(2), flow(1)]
  feed.hearLookups([lookup])
  await feed.look()
  recent = [...Array.from({ length: 150 }, (_, index) => flow(200 - index)), ...recent]
  await feed.look()
  const words = (number: number) =>
    `02:5e:10:00:00:99 was not let through to tcp://203.0.113.10:${number} mac="02:5e:10:00:00:99" to="tcp://203.0.113.10:${number}"`
  await heard([
    words(3),
    ...Array.from({ length: 100 }, (_, index) => words(101 + index)),
    '50 more tries were dropped',
  ])
  await add(['lookup'])
  await feed.look()
  feed.hearLookups([lookup])
  await feed.look()
  await vi.waitFor(() =>
    expect(arrived()).toContainEqual(
      expect.stringMatching(
        /^02:5e:10:00:00:99 looked up press.example: blocked mac="02:5e:10:00:00:99" name="press.example" outcome="blocked" tries="3"/,
      ),
    ),
  )
})

test('new flows are those that were not there, however often the same is tried in a second', () => {
  const [a, b] = [flow(1), flow(2)]
  expect(newFlows([], [a, b])).toEqual([a, b])
  expect(newFlows([a, b], [a, b])).toEqual([])
  expect(newFlows([a, b], [b, a, a])).toEqual([a])
  expect(newFlows([b, a], [b])).toEqual([])
})

test('what is too much for a server that is away is lost from the oldest on, and told', async () => {
  await add(['drop'])
  await hangUp()
  view = { state: 'in-force' } as GatewayAnswer
  await feed.look()
  for (let look = 0; look < 25; look++) {
    recent = Array.from({ length: 100 }, (_, index) => flow(look * 100 + index))
    await feed.look()
  }
  await listen(port)
  await vi.waitFor(
    async () => {
      await feed.look()
      expect(arrived()).toHaveLength(2001)
    },
    { timeout: 30_000, interval: 500 },
  )
  const [first] = arrived()
  expect(first).toBe('500 messages were lost, since this server did not take them count="500"')
})
