import { spawnSync } from 'node:child_process'
import { mkdtemp, writeFile } from 'node:fs/promises'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { run } from './run.ts'

const NOW = Date.parse('2026-11-27T21:30:00Z') / 1000
const DOCUMENT = {
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'Europe/Lisbon' },
  devices: [{ id: 'till', name: 'Till', adapters: [{ mac: '02:5e:10:00:00:01', medium: 'wifi' }] }],
  schedules: [{ id: 'nights', name: 'Nights', week: '21:00-07:00' }],
  rules: [
    {
      id: 'quiet',
      name: 'Quiet hours',
      effect: 'block',
      who: { everyone: true },
      what: { internet: true },
      when: { schedules: ['nights'] },
    },
  ],
}
const YAML = `# kept in a repository
kairostat: 1
place: { name: Bindery, timeZone: Europe/Lisbon }
devices:
  - id: till
    name: Till
    adapters: [{ mac: 025e.1000.0001, medium: wifi }]
`
let folder: string
const path = (name: string) => join(folder, name)
beforeAll(async () => {
  folder = await mkdtemp(join(tmpdir(), 'kairostat-cli-'))
  await Promise.all([
    writeFile(path('good.json'), JSON.stringify(DOCUMENT)),
    writeFile(path('good.yaml'), YAML),
    writeFile(path('bad.yaml'), 'a: [1'),
    writeFile(path('bad.json'), '{ "a": '),
    writeFile(
      path('faulty.json'),
      JSON.stringify({ ...DOCUMENT, colour: 1, rules: [{ ...DOCUMENT.rules[0], effect: 'deny' }] }),
    ),
  ])
})
const kairostat = (line: string) =>
  run(
    line
      .split(' ')
      .filter(Boolean)
      .map((word) => word.replace('@', `${folder}/`)),
    NOW,
  )

test('check answers who is blocked, why and until when, in words and as JSON', async () => {
  const row = {
    device: 'till',
    mac: null,
    network: null,
    state: 'cut-off',
    because: { kind: 'rule', id: 'quiet' },
    clauses: ['quiet'],
    since: '2026-11-27T21:00:00Z',
    until: '2026-11-28T07:00:00Z',
  }
  const { status, out } = await kairostat(
    'check --policy @good.json --at now --device 02-5E-10-00-00-01 --device 02:aa:bb:00:00:7f --to ftp://files.example --json',
  )
  const verdict = { effect: 'block', because: { kind: 'rule', id: 'quiet' } }
  expect([status, JSON.parse(out)]).toEqual([
    0,
    {
      timeZone: 'Europe/Lisbon',
      moments: [
        {
          at: '2026-11-27T21:30:00Z',
          local: '2026-11-27T21:30:00',
          devices: [
            { ...row, verdict },
            { ...row, device: null, mac: '02:aa:bb:00:00:7f', network: null, verdict },
          ],
        },
      ],
    },
  ])
  expect((await kairostat('check --policy @good.json --at 2026-11-27T21:30')).out)
    .toBe(`2026-11-27 21:30:00 Europe/Lisbon: 1 of 1 blocked
  device  state    since             until             by
  ------  -------  ----------------  ----------------  -----------
  Till    cut-off  2026-11-27 21:00  2026-11-28 07:00  Quiet hours`)
  expect((await kairostat('check --policy @good.json --at 2026-11-27T12:00 --to files.example')).out).toMatch(
    / by {2}destination\n.*\n {2}Till {4}open {3}2026-11-27 07:00 {2}2026-11-27 21:00 {6}allowed$/,
  )
})

test('timeline answers the segments of a range', async () => {
  const { out } = await kairostat(
    'timeline --policy @good.json --from 2026-11-27T12:00 --until 2026-11-27T23:00:00Z',
  )
  expect(out).toBe(`Till
  from                 until                state    by
  -------------------  -------------------  -------  -----------
  2026-11-27 12:00:00  2026-11-27 21:00:00  open
  2026-11-27 21:00:00  2026-11-27 23:00:00  cut-off  Quiet hours`)
})

describe('a running server', () => {
  const asked: (string | undefined)[] = []
  const server = createServer((request, response) => {
    asked.push(request.headers.authorization)
    let status
    if (request.url !== '/api/live') status = 404
    else if (request.headers.authorization === 'Bearer right') status = 200
    else status = 401
    response
      .writeHead(status, { 'content-type': 'application/json' })
      .end(JSON.stringify(status === 200 ? { policy: DOCUMENT } : { message: 'Sign in first.' }))
  })
  let address: string
  beforeAll(async () => {
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
    address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  })
  afterAll(() => server.close())
  const ask = (token: string | undefined, ...more: string[]) =>
    run(['check', '--at', 'now', ...more], NOW, token)

  test('answers as its policy does, by a token', async () => {
    expect((await ask('right', '--server', address)).out).toBe(
      (await kairostat('check --policy @good.json --at now')).out,
    )
    expect(asked).toEqual(['Bearer right'])
  })

  test.each([
    [undefined, () => address, 'KAIROSTAT_TOKEN: is not set'],
    ['wrong', () => address, 'KAIROSTAT_TOKEN: is not accepted'],
    ['right', () => 'workshop.example', '--server: "workshop.example" is not an address'],
    ['right', () => 'http://127.0.0.1:9', '--server: http://127.0.0.1:9 does not answer'],
  ])('%s: what is wrong is told', async (token, where, fault) => {
    expect(await ask(token, '--server', where())).toMatchObject({
      status: 2,
      out: '',
      err: expect.stringContaining(fault) as string,
    })
  })

  test('and a file exclude each other', async () => {
    expect((await ask('right', '--server', address, '--policy', path('good.json'))).err).toContain(
      'exclude each other',
    )
  })
})

test('validate takes JSON and YAML', async () => {
  expect(await kairostat('validate --policy @good.yaml')).toEqual({
    status: 0,
    out: `${path('good.yaml')} is a policy: 1 devices, 0 schedules, 0 rules.`,
    err: '',
  })
  expect(await kairostat('validate --policy @good.json --json')).toEqual({
    status: 0,
    out: '{"faults":[]}',
    err: '',
  })
})

describe('what is wrong ends with 2 and every fault', () => {
  test.each([
    ['', 'command: is not a command'],
    ['frob', 'frob: is not a command'],
    ['constructor --policy @good.json', 'constructor: is not a command'],
    ['check', '--policy: is missing'],
    ['check --policy @none.json --at now', 'there is no such file'],
    ['check --policy @good.json', '--at: is missing'],
    ['check --policy @good.json --at soon', '--at: "soon" is not a time'],
    ['check --policy @good.json --at now --frob', "Unknown option '--frob'"],
    ['check --policy @good.json --at now --from now', '--from: is not an option of check'],
    ['check --policy @good.json --at now extra', 'extra: is one argument too many'],
    ['check --policy @good.json --at now --device nobody', '--device: "nobody" is not a device'],
    [
      'check --policy @good.json --at now --device 01:00:5e:00:00:01',
      '--device: "01:00:5e:00:00:01" is not a device',
    ],
    [
      'check --policy @good.json --at now --to a.example:80',
      '--to: “a.example:80” has a port but no protocol',
    ],
    ['timeline --policy @good.json --from now --until now', '--until: is not after --from'],
    ['timeline --policy @good.json --from now', '--until: is missing'],
    ['validate --policy @bad.json', 'is not JSON'],
    ['validate --policy @bad.yaml', 'is not YAML'],
    [
      'validate --policy @faulty.json',
      'colour: is not a key that is known here: the keys are kairostat, place, devices, networks, groups, schedules, siteLists, apps, rules, overrides, spent\nrules[0].effect: is "deny": it must be "block" or "allow"',
    ],
  ])('%s', async (line, words) => {
    expect(await kairostat(line)).toEqual({
      status: 2,
      out: '',
      err: expect.stringContaining(words) as unknown,
    })
  })

  test('with --json also on standard output', async () => {
    const { status, out } = await kairostat('validate --policy @faulty.json --json')
    expect([
      status,
      (JSON.parse(out) as { faults: { path: string }[] }).faults.map((fault) => fault.path),
    ]).toEqual([2, ['colour', 'rules[0].effect']])
  })
})

test('the door prints, and ends with the status', () => {
  const door = (...args: string[]) => {
    const { status, stdout, stderr } = spawnSync(process.execPath, ['bin/kairostat', ...args], {
      encoding: 'utf8',
    })
    return [status, stdout.slice(0, 9), stderr.slice(0, 8)]
  }
  expect([door('--help'), door('validate', '--policy', path('bad.json'))]).toEqual([
    [0, 'kairostat', ''],
    [2, '', 'document'],
  ])
})
