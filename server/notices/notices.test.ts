import { createServer, type IncomingHttpHeaders, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import pino from 'pino'
import { SMTPServer, type SMTPServerOptions } from 'smtp-server'
import { afterAll, afterEach, beforeEach, expect, test } from 'vitest'
import { instantText } from '../../core/time/instant.ts'
import { canonicalText, digestOf } from '../../core/policy/canonical.ts'
import type { GatewayAnswer } from '../../protocol/answers.ts'
import type { Sighting } from '../../protocol/gateway/gateway.ts'
import { mailServerForm } from '../../protocol/forms.ts'
import { NOTICE_KINDS, type MailServer } from '../../protocol/notice.ts'
import type { Rights } from '../../protocol/roles.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { cameFrom } from '../../tests/support/came-from.ts'
import type { Database } from '../database/database.ts'
import { addRevision } from '../live/revision-sql.ts'
import { saveSightings, sightings } from '../gateways/sighting-sql.ts'
import { deliver } from './deliveries.ts'
import { fillDraft } from '../draft/edit.ts'
import { GatewayWatch } from './gateway-watch.ts'
import { sendMail } from './mail.ts'
import {
  deleteWebhook,
  mailServerAnswer,
  makeWebhook,
  saveOwnNotices,
  setMailServer,
  tryMailServer,
  tryWebhook,
  webhooksAnswer,
} from './notices.ts'
import { livePolicy } from '../live/live.ts'
import { notify } from '../outbox/notify.ts'
import { invite, join } from '../accounts/people.ts'
import { setUp, signIn } from '../accounts/sign-in.ts'
import { signatureOf } from './webhook.ts'
import { emptyDatabase } from '../../tests/support/database.ts'

const AT_ONCE = { gather: 0, pause: 0 }
const policy = policyOf({
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'UTC' },
  devices: [{ id: 'tablet', name: 'Tablet', adapters: [{ mac: '02:5e:10:00:00:01', medium: 'wifi' }] }],
  groups: [{ id: 'apprentices', name: 'Apprentices', members: ['tablet'] }],
})
let sql: Database
const closing: (() => Promise<unknown>)[] = []
beforeEach(async () => {
  sql = await emptyDatabase(sql)
  await setUp(sql, 'ada', 'a long password')
  await fillDraft(sql, policy)
  await addRevision(sql, {
    digest: digestOf(policy),
    document: canonicalText(policy),
    author: 'ada',
    note: '',
  })
})
afterEach(async () => {
  for (const close of closing.splice(0)) await close()
})
afterAll(() => sql.close())

/** A real SMTP server on a port of its own, with what it got. */
async function smtp(options: SMTPServerOptions = {}, port = 0) {
  const mails: string[] = []
  const server = new SMTPServer({
    authOptional: true,
    disabledCommands: ['STARTTLS'],
    logger: false,
    ...options,
    onData(stream, _session, done) {
      let text = ''
      stream.on('data', (part: Buffer) => (text += part.toString()))
      stream.on('end', () => {
        mails.push(text.replaceAll('=\r\n', ''))
        done()
      })
    },
  })
  server.on('error', () => {})
  await new Promise<void>((resolve) => server.listen(port, '127.0.0.1', resolve))
  const close = () => new Promise<void>((resolve) => server.close(() => resolve()))
  closing.push(close)
  const taken = (server.server.address() as AddressInfo).port
  const given: MailServer & { password: string | null } = {
    host: '127.0.0.1',
    port: taken,
    security: 'none',
    user: '',
    from: 'kairostat@bindery.example',
    password: null,
  }
  return { mails, given, close, port: taken }
}
const joined = async (name: string, rights: Rights) => {
  const { code } = await invite(sql, rights, 'ada')
  await join(sql, { code, name, password: 'a long password' }, '192.0.2.1')
}
const subjectOf = (mail: string) => /^Subject: (.*)$/m.exec(mail)?.[1]?.trim()
const recipients = (mails: readonly string[]) =>
  mails.map((mail) => /^To: (.*)$/m.exec(mail)?.[1]?.trim()).sort()

test('of thousands of made-up addresses the latest are remembered, and told as one', async () => {
  const watch = new GatewayWatch(sql, pino({ level: 'silent' }))
  await saveOwnNotices(sql, { account: 'ada', role: 'administrator' }, 'ada@bindery.example', ['new-device'])
  const seen = (index: number): Sighting => ({
    mac: `02:66:00:00:${(index >> 8).toString(16).padStart(2, '0')}:${(index & 255).toString(16).padStart(2, '0')}`,
    hostName: null,
    addresses: [],
    interface: null,
    medium: null,
    connected: false,
    firstSeen: instantText(1_795_000_000 + index),
    lastSeen: instantText(1_795_000_000 + index),
  })
  const device = { ...seen(0), mac: '02:5e:10:00:00:01', lastSeen: instantText(1_700_000_000) }
  await saveSightings(sql, [device])
  const all = Array.from({ length: 6000 }, (_, index) => seen(index))
  await watch.tellNew(await saveSightings(sql, all))
  const kept = (await sightings(sql)).map(({ mac }) => mac)
  expect([
    kept.includes(device.mac),
    kept.includes(seen(5999).mac),
    kept.includes(seen(0).mac),
    kept.length,
  ]).toEqual([true, true, false, 5001])
  const told = await sql.query<{ words: string }>('select words from notice order by number')
  expect(told.map(({ words }) => words)).toEqual(['6000 new devices on the network at once'])
})

test('three new devices are one mail; within five minutes nobody gets another, and then one with all', async () => {
  const { mails, given } = await smtp()
  await setMailServer(sql, given)
  await saveOwnNotices(sql, { account: 'ada', role: 'administrator' }, 'ada@bindery.example', ['new-device'])
  const seen = (index: number) => ({
    mac: `02:5e:99:00:00:0${index}`,
    hostName: index === 1 ? 'a "new" one' : null,
    addresses: [],
    interface: null,
    medium: null,
    connected: true,
    firstSeen: '2026-11-28T10:00:00Z',
    lastSeen: '2026-11-28T10:00:00Z',
  })
  const watch = new GatewayWatch(sql, pino({ level: 'silent' }))
  // Devices at the first look are no news; nor is a device of the policy.
  await watch.tellNew(await saveSightings(sql, [seen(0)]))
  for (let index = 1; index <= 3; index++)
    await watch.tellNew(await saveSightings(sql, [seen(0), seen(index)]))
  await watch.tellNew(await saveSightings(sql, [{ ...seen(4), mac: '02:5e:10:00:00:01' }]))
  await deliver(sql)
  expect(mails).toEqual([])
  await sql.query(`update delivery set made_at = made_at - interval '20 seconds'`)
  await deliver(sql)
  expect([mails.length, subjectOf(mails[0]!)]).toEqual([1, 'Bindery: 3 notices'])
  for (const words of [
    'New on the network: a "new" one (02:5e:99:00:00:01',
    '02:5e:99:00:00:03',
    'ada@bindery.example',
  ])
    expect(mails[0]).toContain(words)
  await notify(sql, 'new-device', 'one more')
  await notify(sql, 'new-device', 'and another\r\nBcc: somebody@elsewhere.example')
  await sql.query(`update delivery set made_at = made_at - interval '20 seconds'`)
  await deliver(sql)
  expect(mails.length).toBe(1)
  await sql.query(`update member set mailed_at = mailed_at - interval '5 minutes'`)
  await deliver(sql)
  expect([mails.length, subjectOf(mails[1]!)]).toEqual([2, 'Bindery: 2 notices'])
  expect(mails[1]).not.toMatch(/^Bcc:/m)
  await deliver(sql, AT_ONCE)
  expect(mails.length).toBe(2)
})

test('each hears of what they chose and their role allows, a helper of the devices of their groups alone', async () => {
  const { mails, given } = await smtp()
  await setMailServer(sql, given)
  await joined('hal', { role: 'helper', limit: { minutes: 30, groups: ['apprentices'] } })
  await joined('vic', { role: 'viewer', limit: null })
  await joined('eve', { role: 'editor', limit: null })
  await saveOwnNotices(sql, { account: 'ada', role: 'administrator' }, 'ada@bindery.example', NOTICE_KINDS)
  await saveOwnNotices(sql, { account: 'hal', role: 'helper' }, 'hal@bindery.example', ['request'])
  await saveOwnNotices(sql, { account: 'vic', role: 'viewer' }, 'vic@bindery.example', ['new-address'])
  await saveOwnNotices(sql, { account: 'eve', role: 'editor' }, '', ['alarm'])
  for (const [account, role, kind] of [
    ['vic', 'viewer', 'request'],
    ['hal', 'helper', 'alarm'],
    ['eve', 'editor', 'backup-failed'],
  ] as const)
    await expect(saveOwnNotices(sql, { account, role }, 'a@b.example', [kind])).rejects.toMatchObject({
      code: 'not-allowed',
    })
  const { policy } = await livePolicy(sql)
  for (const [send, expected] of [
    [() => notify(sql, 'request', 'Tablet asks', { device: 'tablet', policy }), ['ada', 'hal']],
    [() => notify(sql, 'request', 'Laptop asks', { device: 'laptop', policy }), ['ada']],
    [() => notify(sql, 'request', 'Somebody asks', { device: null, policy }), ['ada']],
    [() => notify(sql, 'alarm', 'Something passes'), ['ada']],
    [() => notify(sql, 'new-address', 'Signed in', { account: 'vic' }), ['vic']],
  ] as const) {
    mails.length = 0
    await send()
    await deliver(sql, AT_ONCE)
    expect(recipients(mails)).toEqual(expected.map((name) => `${name}@bindery.example`))
  }
  // An account that gets no other notices is told of a sign-in from a new address.
  mails.length = 0
  for (const address of ['192.0.2.1', '192.0.2.1', '198.51.100.9', '198.51.100.9'])
    await signIn(sql, 'vic', 'a long password', cameFrom(address))
  await deliver(sql, AT_ONCE)
  expect(mails.map(subjectOf)).toEqual(['Bindery: vic signed in from a new address: 198.51.100.9'])
  // A role that is taken away takes its notices along.
  await sql.query(`update member set role = 'viewer', helper_limit = null where account = 'hal'`)
  mails.length = 0
  await notify(sql, 'request', 'Tablet asks', { device: 'tablet', policy })
  await deliver(sql, AT_ONCE)
  expect(recipients(mails)).toEqual(['ada@bindery.example'])
})

test('what is written while the mail server is away for an hour arrives once it is back, in one mail', async () => {
  const { mails, given, close, port } = await smtp()
  await setMailServer(sql, given)
  await saveOwnNotices(sql, { account: 'ada', role: 'administrator' }, 'ada@bindery.example', ['alarm'])
  await close()
  for (let minute = 0; minute < 60; minute++) {
    await notify(sql, 'alarm', `alarm ${minute}`)
    await deliver(sql, AT_ONCE)
    await sql.query(`update delivery set due_at = due_at - interval '1 minute'`)
  }
  const [{ tries }] = (await sql.query<{ tries: number }>(
    'select max(tries)::int as tries from delivery',
  )) as [{ tries: number }]
  // It is tried with a growing pause, not every minute.
  expect([tries > 3, tries < 30, (await mailServerAnswer(sql)).trouble]).toEqual([
    true,
    true,
    expect.stringContaining('ECONNREFUSED') as unknown,
  ])
  const back = await smtp({}, port)
  await sql.query(`update delivery set due_at = due_at - interval '10 minutes'`)
  await deliver(sql, AT_ONCE)
  expect([mails.length, back.mails.length, subjectOf(back.mails[0]!)]).toEqual([0, 1, 'Bindery: 60 notices'])
  expect((await mailServerAnswer(sql)).trouble).toBe('')
})

test('a password is never told, sent to another server, or without protection', async () => {
  const { given, mails } = await smtp({
    authMethods: ['PLAIN', 'LOGIN'],
    authOptional: false,
    allowInsecureAuth: true,
    onAuth: ({ username, password }, _session, done) =>
      username === 'kai' && password === 'secret' ? done(null, { user: 'kai' }) : done(new Error('wrong')),
  })
  const faults = await mailServerForm
    .validate({ server: { ...given, user: 'kai', password: 'secret' } }, { abortEarly: false })
    .then(
      () => [],
      (error: { errors: string[] }) => error.errors,
    )
  expect(faults).toEqual([expect.stringContaining('needs a protected connection') as unknown])
  // The server offers no TLS: then nothing is sent.
  await expect(
    tryMailServer(sql, { ...given, security: 'starttls', user: 'kai', password: 'secret' }, 'a@b.example'),
  ).rejects.toMatchObject({ code: 'not-sent' })
  expect(mails).toEqual([])
  await setMailServer(sql, { ...given, security: 'starttls', user: 'kai', password: 'secret' })
  expect(JSON.stringify(await mailServerAnswer(sql))).not.toContain('secret')
  expect((await mailServerAnswer(sql)).server!.hasPassword).toBe(true)
  for (const other of [{ host: '198.51.100.1' }, { user: 'other' }, { security: 'tls' as const }])
    await expect(
      tryMailServer(sql, { ...given, security: 'starttls', user: 'kai', ...other }, 'a@b.example'),
    ).rejects.toMatchObject({ code: 'not-possible', faults: [{ path: 'password' }] })
})

test('a server whose certificate nobody vouches for gets no mail', async () => {
  const { given, mails } = await smtp({ disabledCommands: [], secure: false })
  for (const security of ['starttls', 'tls'] as const)
    await expect(
      sendMail({ ...given, security, password: '' }, { to: 'a@b.example', subject: 'x', text: 'x' }),
    ).rejects.toThrow()
  expect(mails).toEqual([])
})

/** A real HTTP server, with what it got; it answers by what `answer` says. */
async function hookServer(answer: () => number) {
  const got: { headers: IncomingHttpHeaders; body: string }[] = []
  const server: Server = createServer(async (request, response) => {
    const parts: Buffer[] = []
    for await (const part of request) parts.push(part as Buffer)
    got.push({ headers: request.headers, body: Buffer.concat(parts).toString() })
    response.writeHead(answer(), { location: 'http://127.0.0.1:1/' }).end()
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  closing.push(() => new Promise((resolve) => server.close(resolve)))
  return { got, url: `http://127.0.0.1:${(server.address() as AddressInfo).port}/kairostat` }
}

test('a webhook gets each notice once and in order, signed; one that fails is tried again with a growing pause', async () => {
  let status = 503
  const { got, url } = await hookServer(() => status)
  const { id, secret } = await makeWebhook(sql, { url, kinds: ['request'] }, 'ada')
  expect(JSON.stringify(await webhooksAnswer(sql))).not.toContain(secret)
  await expect(tryWebhook(sql, id)).rejects.toMatchObject({ code: 'not-sent' })
  status = 302
  await expect(tryWebhook(sql, id)).rejects.toMatchObject({ code: 'not-sent' })
  got.length = 0
  status = 503
  const { policy } = await livePolicy(sql)
  for (const words of ['one', 'two']) await notify(sql, 'request', words, { device: null, policy })
  await notify(sql, 'alarm', 'not wanted')
  const pauses: number[] = []
  for (let round = 0; round < 9; round++) {
    await deliver(sql)
    const [{ pause }] = (await sql.query<{ pause: number }>(
      'select round(extract(epoch from max(due_at) - now()))::int as pause from delivery where tries > 0',
    )) as [{ pause: number }]
    pauses.push(pause)
    await deliver(sql)
    await sql.query('update delivery set due_at = now()')
  }
  expect(pauses).toEqual([10, 20, 40, 80, 160, 320, 600, 600, 600])
  expect([got.length, (await webhooksAnswer(sql))[0]]).toEqual([
    9,
    expect.objectContaining({
      waiting: 2,
      trouble: expect.stringContaining('It answered 503') as unknown,
    }) as unknown,
  ])
  got.length = 0
  status = 204
  await deliver(sql)
  await deliver(sql)
  await deliver(sql)
  expect(got.map(({ body }) => (JSON.parse(body) as { words: string }).words)).toEqual(['one', 'two'])
  const [{ headers, body }] = got as [(typeof got)[0]]
  expect(JSON.parse(body)).toMatchObject({
    kind: 'request',
    place: 'Bindery',
    at: expect.any(String) as unknown,
  })
  expect(headers['kairostat-signature']).toBe(
    `sha256=${signatureOf(secret, Number(headers['kairostat-time']), body)}`,
  )
  expect(Math.abs(Number(headers['kairostat-time']) - Date.now() / 1000)).toBeLessThan(10)
  expect((await webhooksAnswer(sql))[0]).toMatchObject({ waiting: 0, trouble: '' })
  await deleteWebhook(sql, id)
  await expect(deleteWebhook(sql, id)).rejects.toMatchObject({ code: 'not-found' })
})

test('a gateway that is away and back is told, not one that only starts anew; alarms that were there before are no news', async () => {
  const { got, url } = await hookServer(() => 200)
  await makeWebhook(sql, { url, kinds: NOTICE_KINDS }, 'ada')
  const watch = new GatewayWatch(sql, pino({ level: 'silent' }), 100)
  const alarm = (about: string) => ({
    kind: 'upstream',
    about,
    since: instantText(Number(about)),
    mac: null,
    because: null,
  })
  const view = (state: string, ...abouts: string[]) =>
    ({ state, trouble: 'no answer', status: { alarms: abouts.map(alarm) } }) as unknown as GatewayAnswer
  const said = async () => {
    while ((await sql.query('select 1 from delivery')).length > 0) await deliver(sql)
    return got.splice(0).map(({ body }) => (JSON.parse(body) as { kind: string }).kind)
  }
  await watch.look(view('in-force', '1'))
  expect(await said()).toEqual([])
  await watch.look(view('in-force', '1', '2'))
  await watch.look(view('in-force', '1', '2'))
  expect(await said()).toEqual(['alarm'])
  await watch.look(view('away'))
  await watch.look(view('in-force', '1', '2'))
  expect(await said()).toEqual([])
  await watch.look(view('away'))
  await watch.look(view('away'))
  await new Promise((resolve) => setTimeout(resolve, 300))
  expect(await said()).toEqual(['gateway-away'])
  await watch.look(view('in-force', '1', '2'))
  expect(await said()).toEqual(['gateway-back'])
  watch.stop()
})
