import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { afterAll, beforeAll, beforeEach, expect, test } from 'vitest'
import { NOTHING } from '../../protocol/gateway/evidence.ts'
import { cutA, longestGap, MACS, policyOf, REACHED, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork()
})
afterAll(() => network.stop())
beforeEach(() => network.enforce(policyOf({})))

const always = { when: { always: true } }
const soon = (milliseconds = 1500) => Date.now() + milliseconds
const reach = (from: 'cliA' | 'cliB') => network.reach(from)

test('a device that takes another address is a newcomer, and may what newcomers may; with a second adapter it is itself again', async () => {
  const rules = [
    { id: 'n', name: 'N', effect: 'block', who: { newcomers: true }, what: { internet: true }, ...always },
  ]
  await network.enforce(policyOf({ rules }))
  const random = '06:5e:00:00:00:77'
  await network.run('cliB', 'ip', 'link', 'set', 'eth0', 'address', random)
  try {
    await expect.poll(() => reach('cliB'), { timeout: 10_000 }).toBe('')
    const [a, b] = (policyOf({}) as { devices: { adapters: object[] }[] }).devices
    await network.enforce({
      ...policyOf({ rules }),
      devices: [a, { ...b, adapters: [...b!.adapters, { mac: random, medium: 'wifi' }] }],
    })
    expect(await reach('cliB')).toBe(REACHED)
  } finally {
    await network.run('cliB', 'ip', 'link', 'set', 'eth0', 'address', MACS.B)
  }
  await expect.poll(() => reach('cliB'), { timeout: 10_000 }).toBe(REACHED)
})

test('a program that is killed leaves its rules in force, and finds its policy again', async () => {
  await network.enforce(policyOf(cutA))
  const { digest } = await network.gateway.status()
  const [a, b] = [network.probe('cliA', 'udp', 4, soon(4000)), network.probe('cliB', 'udp', 4, soon(4000))]
  const begun = Date.now()
  await network.kill('SIGKILL')
  await network.start()
  expect((await network.gateway.status()).digest).toBe(digest)
  expect(await a).toEqual([])
  expect(longestGap(await b, begun, begun + 3000)).toBeLessThan(1000)
})

test('what somebody flushes is put back within a second, which is an alarm, and other tables are left alone', async () => {
  const told = async () => (await network.gateway.status()).alarms.some(({ kind }) => kind === 'put-back')
  await network.run('rtr', 'nft', 'add', 'table', 'inet', 'other')
  await network.enforce(policyOf(cutA))
  expect([
    (await network.run('rtr', 'nft', 'list', 'tables')).includes('table inet other'),
    await told(),
  ]).toEqual([true, false])
  for (const flush of [
    ['flush', 'ruleset'],
    ['flush', 'table', 'inet', 'kairostat'],
    ['delete', 'table', 'inet', 'kairostat'],
  ]) {
    await network.run('rtr', 'nft', ...flush)
    const at = Date.now()
    await expect
      .poll(() => network.run('rtr', 'nft', 'list', 'tables'), { interval: 20 })
      .toContain('kairostat')
    const answered = await network.probe('cliA', 'udp', 4, at + 2500)
    expect([flush, answered.filter((time) => time > at + 1000), await told()]).toEqual([flush, [], true])
  }
})

test('a hundred replacements under traffic let nothing through and lose nothing', async () => {
  await network.enforce(policyOf(cutA))
  const begun = Date.now()
  const probes = (['cliA', 'cliB'] as const).map((host) => network.probe(host, 'udp', 4, begun + 9000))
  for (let turn = 0; turn < 100; turn++)
    await network.enforce(
      policyOf({
        rules: [
          ...cutA.rules,
          {
            id: `r${turn}`,
            name: 'R',
            effect: 'block',
            who: { everyone: true },
            what: { services: [`tcp/${turn + 1}`] },
            ...always,
          },
        ],
      }),
    )
  const ended = Date.now()
  const [a, b] = (await Promise.all(probes)) as [number[], number[]]
  expect(a).toEqual([])
  expect(longestGap(b, begun + 1500, Math.min(ended, begun + 9000))).toBeLessThan(1000)
})

test('a policy that is refused changes nothing', async () => {
  await network.enforce(policyOf(cutA))
  const before = await network.gateway.status()
  expect(await network.gateway.enforce({ document: policyOf({}), digest: '0'.repeat(64) })).toMatchObject([
    { path: 'digest' },
  ])
  expect(await network.gateway.status()).toEqual({ ...before, clock: expect.any(String) as string })
  expect(await reach('cliA')).toBe('')
})

test('its unit is one that systemd takes', () => {
  const file = `${mkdtempSync(`${tmpdir()}/kairostat-unit-`)}/kairostat-gateway.service`
  writeFileSync(
    file,
    readFileSync('packaging/kairostat-gateway.service', 'utf8').replace('/usr/bin/node', process.execPath),
  )
  const { status, stdout, stderr } = spawnSync('systemd-analyze', ['verify', file], { encoding: 'utf8' })
  expect([status, stdout, stderr]).toEqual([0, '', ''])
})

test('it tells who is there, what passed of them, what was dropped and by which rule, both ways and in bytes', async () => {
  const counted = async (mac: string) =>
    (await network.gateway.evidence()).devices.find((device) => device.mac === mac) ?? {
      passed: NOTHING,
      dropped: NOTHING,
      lastDrop: null,
    }
  const [a, b] = [await counted(MACS.A), await counted(MACS.B)]
  await network.enforce(
    policyOf({
      rules: [
        ...cutA.rules,
        {
          id: 'far',
          name: 'Far',
          effect: 'allow',
          who: { devices: ['b'] },
          what: { services: ['udp/7000'] },
          ...always,
        },
      ],
    }),
  )
  await Promise.all([
    reach('cliA'),
    reach('cliB'),
    network.probe('cliA', 'push', 4, soon()),
    network.probe('cliB', 'push', 4, soon()),
  ])
  const { clauses, recent } = await network.gateway.evidence()
  const [afterA, afterB] = [await counted(MACS.A), await counted(MACS.B)]
  // The counts of an earlier policy go on.
  expect([afterA.passed, afterB.dropped]).toEqual([a.passed, b.dropped])
  expect([
    afterA.dropped.packets - a.dropped.packets > 20,
    afterB.passed.packets - b.passed.packets > 100,
    afterB.lastDrop,
  ]).toEqual([true, true, null])
  expect(afterB.passed.bytes / afterB.passed.packets).toBeGreaterThan(28)
  expect(afterA.lastDrop).toMatchObject({ because: 'a-off', effect: 'block' })
  expect(clauses.find(({ id }) => id === 'far')).toMatchObject({
    passed: { packets: expect.toSatisfy((count: number) => count > 100) as number },
    dropped: { packets: 0 },
  })
  expect(clauses.find(({ id }) => id === 'a-off')).toMatchObject({
    passed: { packets: 0 },
    lastDrop: { mac: MACS.A },
  })
  const since = recent.filter(({ mac, effect }) => mac === MACS.B && effect === 'allow').map(({ to }) => to)
  expect([...new Set(since)].filter((to) => to.endsWith(':7000')).sort()).toEqual([
    'tcp://203.0.113.10:7000',
    'tcp://[2001:db8::10]:7000',
    'udp://203.0.113.10:7000',
    'udp://[2001:db8::10]:7000',
  ])
  await expect
    .poll(
      async () =>
        (await network.gateway.sightings())
          .filter(({ mac, connected }) => connected && (mac === MACS.A || mac === MACS.B))
          .map(({ mac, hostName, addresses }) => `${mac} ${hostName} ${addresses.join(' ')}`)
          .sort(),
      { timeout: 5000 },
    )
    .toEqual([
      `${MACS.A} press-tablet 192.168.77.10 2001:db8:1::a`,
      `${MACS.B} null 192.168.77.11 2001:db8:1::b`,
    ])
})

test('packets of a device that is cut off are an alarm', async () => {
  await network.enforce(policyOf(cutA))
  const kinds = async () =>
    [
      ...new Set(
        (await network.gateway.status()).alarms.map(({ kind, mac, because }) =>
          [kind, mac, because].filter(Boolean).join(' '),
        ),
      ),
    ].sort()
  // Somebody may put a hole into the rules: nothing is destroyed by that, but what gets through is counted.
  // One that is found before that is made once more.
  const hole = async () => {
    if (
      !(await network.run('rtr', 'nft', 'list', 'chain', 'inet', 'kairostat', 'blocked_0')).includes('hole')
    )
      await network.run(
        'rtr',
        'nft',
        'insert',
        'rule',
        'inet',
        'kairostat',
        'blocked_0',
        'accept',
        'comment',
        'hole',
      )
  }
  const sending = network.probe('cliA', 'udp', 4, soon(20_000))
  await expect
    .poll(() => hole().then(kinds), { timeout: 20_000, interval: 500 })
    .toEqual(expect.arrayContaining([`passes ${MACS.A} a-off`]))
  await sending
})
