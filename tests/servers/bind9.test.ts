import { Mutex } from 'async-mutex'
import { spawn, type ChildProcess } from 'node:child_process'
import { mkdtemp, rm, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test, vi } from 'vitest'
import { createSocket } from 'node:dgram'
import { connect } from 'node:net'
import { decode, encode } from 'dns-packet'
import fc from 'fast-check'
import pino from 'pino'
import { zoneOwners } from '../../core/export/site-list.ts'
import { startGateway, type GatewayProgram } from '../../gateway/program/gateway.ts'
import { simulatedPlane } from '../../gateway/planes/simulated/plane.ts'
import { ZONES } from '../../protocol/list-source.ts'
import { fillDraft } from '../../server/draft/edit.ts'
import { putListSource } from '../../server/lists/list-source.ts'
import { makeLive, putLive } from '../../server/live/apply.ts'
import { deleteTransferKey, makeTransferKey } from '../../server/lists/zones/transfer-keys.ts'
import { readKey, Signer } from '../../server/lists/zones/tsig.ts'
import { startZoneServer, type ZoneServer } from '../../server/lists/zones/zone-server.ts'
import type { Database } from '../../server/database/database.ts'
import { siteLists } from '../../server/draft/list-sql.ts'
import { migrate } from '../../server/database/migrate.ts'
import { transferSecrets } from '../../server/lists/zones/transfer-key-sql.ts'
import { policyOf } from '../support/arbitraries.ts'
import { transferZone, withLength } from '../../server/lists/zones/zone-transfer.ts'
import { freePort } from '../support/place.ts'
import { testDatabase } from '../support/database.ts'

// A real BIND from Debian's packages, on loopback.
const ZONE = 'rpz.bindery.example'
const SECRET = 'c2FsdG1hcnNoLWJpbmRlcnktc2VjcmV0LW9mLXRoZS10ZXN0'
const key = (name: string, secret = SECRET, algorithm = 'hmac-sha256') =>
  readKey(`${algorithm}:${name}:${secret}`)!
let serial = 5000
let folder: string, server: ChildProcess, port: number, control: number
let sql: Database, gateway: GatewayProgram, zones: ZoneServer
const policy = policyOf({
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'UTC' },
  siteLists: [
    { id: 'video', name: 'Video', entries: ['a.example', 'b.example', '203.0.113.0/24'] },
    { id: 'plain', name: 'Plain', entries: ['first.example'] },
    { id: 'signed', name: 'Signed', entries: ['first.example'] },
  ],
})
const said: string[] = []
const secretOf = async (name: string) =>
  (await transferSecrets(sql)).find((text) => text.includes(`:${name}:`))

beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-bind-'))
  ;[port, control] = [await freePort(), await freePort()]
  sql = await testDatabase()
  await migrate(sql)
  await fillDraft(sql, policy)
  gateway = await startGateway(simulatedPlane([], { timeZone: 'UTC', seed: 1 }), { folder: null })
  await putLive(sql, gateway, 'ada', { note: '' })
  zones = await startZoneServer({
    places: () => [{ id: 'first', sql, running: { gateway, listLock: new Mutex() } }],
    host: '127.0.0.1',
    port: 0,
    log: pino({ level: 'silent' }),
  })
  const made = await makeTransferKey(sql, 'branch', 'ada')
  await writeZone(ZONE, ['a', 'b', 'c'])
  for (const zone of ['plain', 'signed']) await writeZone(`${zone}.notified.example`, ['first'])
  await writeFile(
    join(folder, 'named.conf'),
    `options { directory "${folder}"; listen-on port ${port} { 127.0.0.1; }; listen-on-v6 { none; };
  pid-file "${folder}/pid"; session-keyfile "${folder}/session.key"; managed-keys-directory "${folder}";
  recursion no; allow-query { any; }; ixfr-from-differences yes; notify no; dnssec-validation no;
  max-journal-size unlimited; };
key "plain" { algorithm hmac-sha256; secret "${SECRET}"; };
key "strong" { algorithm hmac-sha512; secret "${SECRET}"; };
key "control" { algorithm hmac-sha256; secret "${SECRET}"; };
controls { inet 127.0.0.1 port ${control} allow { 127.0.0.1; } keys { "control"; }; };
zone "${ZONE}" { type primary; file "${ZONE}"; allow-transfer { key "plain"; key "strong"; }; };
zone "plain.notified.example" { type primary; file "plain.notified.example"; allow-transfer { any; };
  notify explicit; also-notify { 127.0.0.1 port ${zones.port}; }; notify-delay 0; };
zone "signed.notified.example" { type primary; file "signed.notified.example"; allow-transfer { any; };
  notify explicit; also-notify { 127.0.0.1 port ${zones.port} key "plain"; }; notify-delay 0; };
zone "video.lists.home.arpa" { type secondary; file "video"; masterfile-format text;
  primaries { 127.0.0.1 port ${zones.port} key "branch"; }; };
key "branch" { algorithm hmac-sha256; secret "${made.secret}"; };
zone "open.example" { type primary; file "open"; allow-transfer { any; }; };
`,
  )
  await writeFile(join(folder, 'open'), zoneText(7, ['open']))
  await writeFile(
    join(folder, 'rndc.conf'),
    `key "control" { algorithm hmac-sha256; secret "${SECRET}"; };
options { default-server 127.0.0.1; default-port ${control}; default-key "control"; };
`,
  )
  server = spawn('named', ['-g', '-c', join(folder, 'named.conf')])
  server.stderr!.on('data', (data) => said.push(String(data)))
  await vi.waitFor(() => {
    if (server.exitCode !== null) throw new Error(said.join(''))
    expect(said.join('')).toContain('running')
  }, 20_000)
})
afterAll(async () => {
  const ended = new Promise((resolve) => server.once('exit', resolve))
  server.kill()
  await ended
  await zones.stop()
  await gateway.stop()
  await sql.close()
  await rm(folder, { recursive: true })
})

const address = (zone = ZONE) => `dns://127.0.0.1:${port}/${zone}`
const lines = (names: readonly string[]) =>
  names.flatMap((name) => [`${name}.example CNAME .`, `*.${name}.example CNAME .`]).toSorted()
const kinds = () =>
  [...said.join('').matchAll(/(AXFR-style IXFR|AXFR|IXFR) started/g)].map(([, kind]) => kind)

describe.each([
  ['plain', 'hmac-sha256'],
  ['strong', 'hmac-sha512'],
])('with the key “%s” (%s)', (name, algorithm) => {
  test('a zone is fetched whole, then by its changes alone, and not at all where nothing changed', async () => {
    const source = { url: address(), key: key(name, SECRET, algorithm) }
    const many = Array.from({ length: 40 }, (_, index) => `site-${index}`)
    const begun = kinds().length
    await reload(['a', 'b', 'c', ...many])
    const first = (await transferZone(source, null))!
    expect(first.lines.toSorted()).toEqual(lines(['a', 'b', 'c', ...many]))
    expect(await transferZone(source, first)).toBeNull()
    await reload(['b', 'c', 'd', ...many])
    await reload(['b', 'd', 'e', ...many])
    const now = lines(['b', 'd', 'e', ...many])
    const second = (await transferZone(source, first))!
    expect(second.lines.toSorted()).toEqual(now)
    expect(second.serial).toBe(first.serial + 2)
    // A copy that is not what the server takes it for, and one that it does not know.
    const lost = { serial: first.serial, lines: [] }
    expect((await transferZone(source, lost))!.lines.toSorted()).toEqual(now)
    const strange = { serial: first.serial - 1000, lines: lines(['x']) }
    expect((await transferZone(source, strange))!.lines.toSorted()).toEqual(now)
    await vi.waitFor(() =>
      expect(kinds().slice(begun)).toEqual(['AXFR', 'IXFR', 'IXFR', 'AXFR', 'AXFR-style IXFR']),
    )
  })
})

test('a zone of many messages arrives whole', async () => {
  const names = Array.from({ length: 60_000 }, (_, index) => `site-${index}`)
  await reload(names)
  const copy = (await transferZone({ url: address(), key: key('plain') }, null))!
  expect(copy.lines.length).toBe(120_000)
  expect(new Set(copy.lines)).toEqual(new Set(lines(names)))
})

test('without a key where none is asked for; and what is refused is told in words', async () => {
  const open = (await transferZone({ url: address('open.example'), key: null }, null))!
  expect(open.lines.toSorted()).toEqual(lines(['open']))
  const fault = (url: string, with_: ReturnType<typeof readKey>) =>
    transferZone({ url, key: with_ }, null).then(String, (error: Error) => error.message)
  expect(await fault(address(), null)).toMatch(/refuses the zone rpz.bindery.example \((REFUSED|NOTAUTH)\)/)
  expect(await fault(address(), key('nobody'))).toMatch(
    /could not be trusted: the server does not know the key/,
  )
  expect(await fault(address(), key('plain', SECRET.replace('c2', 'c3')))).toMatch(
    /check the secret of the key/,
  )
  expect(await fault(address('no.example'), key('plain'))).toMatch(
    /refuses the zone no.example|does not have/,
  )
  expect(await fault(`dns://127.0.0.1:${await freePort()}/${ZONE}`, null)).toMatch(
    /could not be reached: nothing answers on that port/,
  )
})

/** Reads the zone of a live list from the server that fetches it from us. */
const fetched = async () => (await transferZone({ url: address(`video.${ZONES}`), key: null }, null))!

test('a live list is a zone of another server, which follows it by its changes', async () => {
  const all = (...entries: string[]) =>
    entries
      .flatMap(zoneOwners)
      .map((owner) => `${owner} CNAME .`)
      .toSorted()
  await vi.waitFor(async () =>
    expect((await fetched()).lines.toSorted()).toEqual(all('a.example', 'b.example', '203.0.113.0/24')),
  )
  const next = {
    ...policy,
    siteLists: policy.siteLists.map((list) =>
      list.id === 'video' ? { ...list, entries: ['b.example', 'c.example'] } : list,
    ),
  }
  await makeLive(sql, gateway, next, 'ada', '')
  await rndc('refresh', `video.${ZONES}`)
  await vi.waitFor(
    async () => expect((await fetched()).lines.toSorted()).toEqual(all('b.example', 'c.example')),
    20_000,
  )
  expect(said.join('')).toMatch(
    /transfer of 'video.lists.home.arpa\/IN' from 127.0.0.1#\d+: received \d+ bytes|Transfer completed: 1 messages, \d+ records/,
  )
  const fault = (key: string | null, list = 'video') =>
    transferZone(
      { url: `dns://127.0.0.1:${zones.port}/${list}.${ZONES}`, key: key === null ? null : readKey(key) },
      null,
    ).then(String, (error: Error) => error.message)
  expect(await fault(null)).toMatch(/refuses the zone video.lists.home.arpa \(REFUSED\)/)
  expect(await fault(`hmac-sha256:nobody:${SECRET}`)).toMatch(/the server does not know the key/)
  expect(await fault(`hmac-sha256:branch:${SECRET}`)).toMatch(/check the secret of the key/)
  const right = (await secretOf('branch'))!
  expect(await fault(right, 'unheard')).toMatch(/refuses the zone unheard/)
  await deleteTransferKey(sql, 'branch')
  await expect.poll(() => fault(right), { timeout: 5000 }).toMatch(/the server does not know the key/)
})

test.each(['plain', 'signed'])(
  'a server that says that its zone changed is asked at once (%s)',
  async (name) => {
    const zone = `${name}.notified.example`
    const key = name === 'signed' ? `hmac-sha256:plain:${SECRET}` : ''
    await putListSource(sql, name, { url: address(zone), hours: 24, share: 100, inside: false, key })
    // The sources are asked for once a second.
    await new Promise((resolve) => setTimeout(resolve, 1100))
    const sites = async () => (await siteLists(sql)).find(({ id }) => id === name)!.entries
    await reload(['second'], zone)
    await vi.waitFor(async () => expect(await sites()).toEqual(['second.example']), 20_000)
    // A change right after that is fetched when the pause is over.
    await reload(['fourth'], zone)
    await vi.waitFor(async () => expect(await sites()).toEqual(['fourth.example']), 20_000)
    // A stranger who says so is refused.
    const forged = encode({ type: 'query', id: 7, flags: 4 << 11, questions: [{ type: 'SOA', name: zone }] })
    const signed = new Signer(readKey(`hmac-sha256:plain:${SECRET.replace('c2', 'c3')}`)!).sign(forged)
    expect(
      await codeOf(
        name === 'signed'
          ? signed
          : encode({
              type: 'query',
              id: 7,
              flags: 4 << 11,
              questions: [{ type: 'SOA', name: 'no.example' }],
            }),
      ),
    ).toBe('REFUSED')
  },
)

test('whatever comes, the server goes on: changed at random, cut, or not DNS at all', async () => {
  await makeTransferKey(sql, 'random', 'ada')
  const query = encode({ type: 'query', id: 7, questions: [{ type: 'AXFR', name: `video.${ZONES}` }] })
  const right = new Signer(readKey((await secretOf('random'))!)!).sign(query)
  const socket = createSocket('udp4')
  let answers = 0
  socket.on('message', (answer) => {
    // Nothing is told to whom the signature is not right.
    if (!answer.subarray(0, 60).equals(right.subarray(0, 60)) && decode(answer).answers!.length > 1) answers++
  })
  fc.assert(
    fc.property(
      fc.array(fc.tuple(fc.nat(right.length - 1), fc.nat(255)), { minLength: 1 }),
      fc.nat(right.length),
      (changes, end) => {
        const message = Buffer.from(right)
        for (const [at, byte] of changes) message[at] = byte
        socket.send(message.subarray(0, end), zones.port, '127.0.0.1')
        const connection = connect(zones.port, '127.0.0.1', () =>
          connection.end(withLength(message).subarray(0, end)),
        )
        connection.on('error', () => {})
      },
    ),
    { numRuns: 300 },
  )
  await vi.waitFor(async () => expect(await codeOf(right)).toBe('NOERROR'), 20_000)
  expect(answers).toBe(0)
  socket.close()
})

/** Sends a message to the server over UDP, once; returns the answer. */
function codeOf(message: Buffer): Promise<string> {
  const socket = createSocket('udp4')
  return new Promise<string>((resolve) => {
    socket.on('message', (answer) => resolve((decode(answer) as unknown as { rcode: string }).rcode))
    socket.send(message, zones.port, '127.0.0.1')
    setTimeout(() => resolve('silent'), 1000)
  }).finally(() => socket.close())
}

function zoneText(number: number, names: readonly string[]): string {
  const records = names.flatMap((name) => [`${name}.example CNAME .`, `*.${name}.example CNAME .`])
  const head = [
    '$TTL 300',
    `@ SOA localhost. hostmaster.localhost. ${number} 3600 600 86400 300`,
    '@ NS localhost.',
  ]
  return [...head, ...records, ''].join('\n')
}
function writeZone(zone: string, names: readonly string[]): Promise<void> {
  return writeFile(join(folder, zone), zoneText(++serial, names))
}
/** Gives the server another zone, and waits until it has it. */
async function reload(names: readonly string[], zone = ZONE): Promise<void> {
  await writeZone(zone, names)
  await rndc('reload', zone)
  await vi.waitFor(() => expect(said.join('')).toContain(`zone ${zone}/IN: loaded serial ${serial}`), 20_000)
}

function rndc(...words: string[]): Promise<void> {
  return new Promise((resolve, reject) => {
    const child = spawn('rndc', ['-c', join(folder, 'rndc.conf'), ...words])
    child.once('exit', (code) => (code === 0 ? resolve() : reject(new Error(said.join('')))))
  })
}
