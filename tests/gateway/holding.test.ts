import { spawnSync } from 'node:child_process'
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { afterAll, beforeAll, beforeEach, expect, test } from 'vitest'
import { longestGap, MACS, policyOf, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork()
})
afterAll(() => network.stop())
beforeEach(() => network.enforce(policyOf({})))

const always = { when: { always: true } }
const cutA = { rules: [{ id: 'a-off', name: 'A off', effect: 'block', who: { devices: ['a'] }, what: { internet: true }, ...always }] }
const soon = (milliseconds = 1500) => Date.now() + milliseconds
/** What of each kind gets an answer within the time that is tried. */
const reach = async (from: 'cliA' | 'cliB') => {
  const kinds = (['udp', 'tcp'] as const).flatMap(mode => ([4, 6] as const).map(version => ({ mode, version })))
  const answered = await Promise.all(kinds.map(({ mode, version }) => network.probe(from, mode, version, soon())))
  return kinds.filter((_, index) => answered[index]!.length > 0).map(({ mode, version }) => `${mode}${version}`).join(' ')
}
const ALL = 'udp4 udp6 tcp4 tcp6'

test.each<[what: string, rules: object[], a: string, b: string]>([
  ['nothing', [], ALL, ALL],
  ['a device that is cut off', cutA.rules, '', ALL],
  ['a service', [{ id: 's', name: 'S', effect: 'block', who: { devices: ['a'] }, what: { services: ['tcp/6990-7010'] }, ...always }], 'udp4 udp6', ALL],
  ['a service towards a block', [{ id: 's', name: 'S', effect: 'block', who: { everyone: true }, what: { services: ['tcp/7000@203.0.113.0/24'] }, ...always }], 'udp4 udp6 tcp6', 'udp4 udp6 tcp6'],
  ['another port', [{ id: 's', name: 'S', effect: 'block', who: { everyone: true }, what: { services: ['tcp/7001-7002', 'udp/7001'] }, ...always }], ALL, ALL],
  ['addresses that lie in each other', [{ id: 's', name: 'S', effect: 'block', who: { everyone: true }, what: { sites: ['203.0.113.0/24', '203.0.113.10', '2001:db8:9::/48'] }, ...always }], 'udp6 tcp6', 'udp6 tcp6'],
  ['only what is listed', [{ id: 'l', name: 'L', effect: 'allow', who: { devices: ['a'] }, what: { sites: ['2001:db8::10'], services: ['udp/7000'] }, ...always }, ...cutA.rules], 'udp4 udp6 tcp6', ALL],
  ['an exception that comes after', [...cutA.rules, { id: 'l', name: 'L', effect: 'allow', who: { devices: ['a'] }, what: { services: ['udp/7000'] }, ...always }], '', ALL],
  ['a rule that is not in force', [{ ...cutA.rules[0], when: { from: '2027-01-01T00:00', until: '2027-01-02T00:00' } }], ALL, ALL],
  ['newcomers alone', [{ id: 'n', name: 'N', effect: 'block', who: { newcomers: true }, what: { internet: true }, ...always }], ALL, ALL],
])('%s: what passes is what the policy says', async (_, rules, a, b) => {
  await network.enforce(policyOf({ rules }))
  expect(await Promise.all([reach('cliA'), reach('cliB')])).toEqual([a, b])
})

test('a device that takes another address is a newcomer, and may what newcomers may; with a second adapter it is itself again', async () => {
  const rules = [{ id: 'n', name: 'N', effect: 'block', who: { newcomers: true }, what: { internet: true }, ...always }]
  await network.enforce(policyOf({ rules }))
  const random = '06:5e:00:00:00:77'
  await network.run('cliB', 'ip', 'link', 'set', 'eth0', 'address', random)
  try {
    await expect.poll(() => reach('cliB'), { timeout: 10_000 }).toBe('')
    const [a, b] = (policyOf({}) as { devices: { adapters: object[] }[] }).devices
    await network.enforce({ ...policyOf({ rules }), devices: [a, { ...b, adapters: [...b!.adapters, { mac: random, medium: 'wifi' }] }] })
    expect(await reach('cliB')).toBe(ALL)
  } finally {
    await network.run('cliB', 'ip', 'link', 'set', 'eth0', 'address', MACS.B)
  }
  await expect.poll(() => reach('cliB'), { timeout: 10_000 }).toBe(ALL)
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

test('what somebody flushes is put back within a second, and other tables are left alone', async () => {
  await network.run('rtr', 'nft', 'add', 'table', 'inet', 'other')
  await network.enforce(policyOf(cutA))
  expect(await network.run('rtr', 'nft', 'list', 'tables')).toContain('table inet other')
  for (const flush of [['flush', 'ruleset'], ['flush', 'table', 'inet', 'kairostat'], ['delete', 'table', 'inet', 'kairostat']]) {
    await network.run('rtr', 'nft', ...flush)
    const at = Date.now()
    await expect.poll(() => network.run('rtr', 'nft', 'list', 'tables'), { interval: 20 }).toContain('kairostat')
    const answered = await network.probe('cliA', 'udp', 4, at + 2500)
    expect([flush, answered.filter(time => time > at + 1000)]).toEqual([flush, []])
  }
})

test('a hundred replacements under traffic let nothing through and lose nothing', async () => {
  await network.enforce(policyOf(cutA))
  const begun = Date.now()
  const probes = (['cliA', 'cliB'] as const).map(host => network.probe(host, 'udp', 4, begun + 9000))
  for (let turn = 0; turn < 100; turn++) await network.enforce(policyOf({ rules: [...cutA.rules, { id: `r${turn}`, name: 'R', effect: 'block', who: { everyone: true }, what: { services: [`tcp/${turn + 1}`] }, ...always }] }))
  const ended = Date.now()
  const [a, b] = await Promise.all(probes) as [number[], number[]]
  expect(a).toEqual([])
  expect(longestGap(b, begun + 1500, Math.min(ended, begun + 9000))).toBeLessThan(1000)
})

test('a policy that is refused changes nothing', async () => {
  await network.enforce(policyOf(cutA))
  const before = await network.gateway.status()
  expect(await network.gateway.enforce({ document: policyOf({}), digest: '0'.repeat(64) })).toMatchObject([{ path: 'digest' }])
  expect(await network.gateway.status()).toEqual({ ...before, clock: expect.any(String) as string })
  expect(await reach('cliA')).toBe('')
})

test('its unit is one that systemd takes', () => {
  const file = `${mkdtempSync(`${tmpdir()}/kairostat-unit-`)}/kairostat-gateway.service`
  writeFileSync(file, readFileSync('packaging/kairostat-gateway.service', 'utf8').replace('/usr/bin/node', process.execPath))
  const { status, stdout, stderr } = spawnSync('systemd-analyze', ['verify', file], { encoding: 'utf8' })
  expect([status, stdout, stderr]).toEqual([0, '', ''])
})

test('it tells who is there, what they sent, what was dropped and by which rule', async () => {
  await network.enforce(policyOf(cutA))
  await Promise.all([reach('cliA'), reach('cliB')])
  const { devices, recent } = await network.gateway.evidence()
  const of = (mac: string) => devices.find(device => device.mac === mac)
  expect(of(MACS.A)).toMatchObject({ passed: 0, lastDrop: { because: 'a-off', effect: 'block' } })
  expect(of(MACS.A)!.dropped).toBeGreaterThan(20)
  expect(of(MACS.B)).toMatchObject({ dropped: 0, lastDrop: null })
  expect(recent.filter(({ mac }) => mac === MACS.B).map(({ to, effect }) => `${to} ${effect}`).sort()).toEqual(['tcp://203.0.113.10:7000 allow', 'tcp://[2001:db8::10]:7000 allow', 'udp://203.0.113.10:7000 allow', 'udp://[2001:db8::10]:7000 allow'])
  await expect.poll(async () => (await network.gateway.sightings()).filter(({ connected }) => connected).map(({ mac, addresses }) => `${mac} ${addresses.join(' ')}`).sort(), { timeout: 5000 })
    .toEqual([`${MACS.A} 192.168.77.10 2001:db8:1::a`, `${MACS.B} 192.168.77.11 2001:db8:1::b`])
})
