import { writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { afterAll, beforeAll, beforeEach, expect, test } from 'vitest'
import { busiestPort } from '../../gateway/planes/linux/watch/sightings.ts'
import {
  cutA,
  FAR,
  longestGap,
  MACS,
  policyOf,
  PORT,
  REACHED,
  startNetwork,
  type Network,
} from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork()
})
afterAll(() => network.stop())
beforeEach(async () => {
  await setMac(MACS.A)
  await network.enforce(policyOf({}))
})

const ROUTER = '192.168.77.1'
const RAW = resolve('tests/gateway/raw.py')
const always = { when: { always: true } }
const INTERNET = { internet: true }
const rule = (id: string, effect: string, who: object, what: object, more = {}) => ({
  ...{ id, name: id, effect, who, what },
  ...always,
  ...more,
})
const A = { devices: ['a'] }
/** Only a site, for the first machine. */
const listed = (...sites: string[]) => ({
  rules: [rule('site', 'allow', A, { sites }), rule('rest', 'block', A, INTERNET)],
})
const lookup = (name: string) => network.lookup('cliA', name, 'A', ROUTER)
const nft = (...words: string[]) => network.run('rtr', 'nft', ...words)
/**
 * Gives the first machine a MAC address, which the router learns; its own neighbour table may be full for a
 * while.
 */
async function setMac(mac: string) {
  await network.run('cliA', 'ip', 'link', 'set', 'eth0', 'address', mac)
  await expect
    .poll(() => network.run('cliA', 'ping', '-c', '1', '-W', '1', ROUTER).then(Boolean, () => false), {
      timeout: 15_000,
    })
    .toBe(true)
}
const kinds = async () => (await network.gateway.status()).alarms.map(({ kind }) => kind)

test('a flood of made-up MAC addresses delays no answer, is told with its port, and fills nothing', async () => {
  await network.enforce(policyOf({ rules: [rule('less', 'block', A, { sites: ['other.example'] })] }))
  const asking = network.ask('cliA', 'far.example', 9000)
  await pause(1000)
  await network.run('cliB', 'python3', RAW, 'flood', 'eth0', '02:00:00:00:00:01', FAR[4], '6000')
  const begun = performance.now()
  const { devices } = await network.gateway.evidence()
  expect(performance.now() - begun).toBeLessThan(10_000)
  expect(devices.filter(({ mac }) => mac.startsWith('02:66:')).length).toBeGreaterThan(4000)
  const answers = await asking
  // It was seven seconds and more before anything was bounded; how few it is, the bench tells.
  expect(Math.max(...answers.map(({ took }) => took))).toBeLessThan(3000)
  await expect.poll(kinds, { timeout: 15_000 }).toContain('flood')
  const fdb = await network.run('rtr', 'bridge', '-j', 'fdb', 'show')
  const { alarms } = await network.gateway.status()
  // A small router has no program that says which port it is.
  const port = network.ssh ? 'br0' : busiestPort(fdb, () => false)
  expect(alarms.find(({ kind }) => kind === 'flood')!.about).toBe(port)
  expect((await network.gateway.sightings()).length).toBeLessThan(2010)
  // The others are counted, and known, as before.
  await network.probe('cliA', 'udp', 4, Date.now() + 300)
  await expect
    .poll(async () => (await network.gateway.evidence()).devices.some(({ mac }) => mac === MACS.A))
    .toBe(true)
})

test('what an unknown device downloads is counted, and one that finds no room has no allowance', async () => {
  const [, b] = (policyOf({}) as { devices: object[] }).devices
  const after = { megabytes: 1, per: 'day' }
  const unknown = {
    ...policyOf({ rules: [rule('guests', 'block', { newcomers: true }, INTERNET, { after })] }),
    devices: [b],
  }
  await network.kill('SIGKILL')
  await nft('flush', 'ruleset')
  await network.start()
  await network.enforce(unknown)
  // The far side pushes 13 bytes some 200 times a second, far more than comes from here.
  await network.run('isp', 'ip', 'link', 'set', 'eth0', 'mtu', '1500')
  const received = async () =>
    (await network.gateway.evidence()).devices.find(({ mac }) => mac === MACS.A)?.received.packets ?? 0
  const before = await received()
  await network.probe('cliA', 'push', 4, Date.now() + 2500)
  expect((await received()) - before).toBeGreaterThan(200)
  expect((await network.reach('cliA')).includes('udp4')).toBe(true)
  // Others fill what the kernel tells apart: a fresh address has nothing left.
  await network.run('cliB', 'python3', RAW, 'flood', 'eth0', '02:00:00:00:00:01', FAR[4], '9000')
  const fresh = '02:00:00:00:00:aa'
  await setMac(fresh)
  expect(await network.reach('cliA')).toBe('')
  const told = await nft('list', 'set', 'inet', 'kairostat', 'unknown')
  expect([told.split('expires').length - 1, told.includes(fresh)]).toEqual([4096, false])
  expect(await network.reach('cliB')).toBe(REACHED)
})

test('what an allowed name leads to passes on after the table was taken away, and while others change', async () => {
  await network.enforce(policyOf(listed('far.example')))
  expect(await lookup('far.example')).toBe(FAR[4])
  const reaches = async () => (await network.reach('cliA')).includes('udp4')
  expect(await reaches()).toBe(true)
  await nft('flush', 'ruleset')
  await expect.poll(() => nft('list', 'tables')).toContain('kairostat')
  expect(await reaches()).toBe(true)
  await nft('delete', 'table', 'inet', 'kairostat')
  await expect.poll(() => nft('list', 'tables')).toContain('kairostat')
  expect(await reaches()).toBe(true)
  // Addresses that the kernel alone knows stay, too.
  await nft('add', 'element', 'inet', 'kairostat', 'names0v4', '{ 203.0.113.11 timeout 500s }')
  const [from, until] = [Date.now(), Date.now() + 4500]
  const going = network.probe('cliA', 'tcp', 4, until, '203.0.113.11')
  await network.run('isp', 'ip', 'addr', 'replace', '203.0.113.11/24', 'dev', 'eth0')
  await pause(1500)
  for (const name of ['One', 'Two']) {
    const { rules } = listed('far.example')
    await network.enforce(
      policyOf({ rules: [rule('b', 'block', { devices: ['b'] }, { sites: [`${name}.example`] }), ...rules] }),
    )
    await pause(700)
  }
  expect(longestGap(await going, from + 1500, until - 300)).toBeLessThan(600)
})

test('a set that is full takes no allowed name from anybody, and makes room', async () => {
  await network.enforce(policyOf(listed('far.example', 'other.example')))
  const address = (index: number) => `10.${(index >> 14) & 255}.${(index >> 7) & 127}.${index & 127}`
  const lines = Array.from({ length: 33 }, (_, part) => {
    const all = Array.from({ length: 2000 }, (_, index) => part * 2000 + index).filter((one) => one < 65_535)
    return `add element inet kairostat names0v4 { ${all.map((one) => `${address(one)} timeout 300s`).join(', ')} }`
  })
  await network.load(`flush set inet kairostat names0v4\n${lines.join('\n')}\n`)
  // It was not looked up before.
  const reaches = async () => {
    expect(await lookup('other.example')).toBe('203.0.113.11')
    return (await network.probe('cliA', 'tcp', 4, Date.now() + 1500, '203.0.113.11')).length > 0
  }
  await expect.poll(reaches, { timeout: 10_000 }).toBe(true)
})

test('what is listed covers where its alias leads, unless a clause before it blocks that; and nothing opens that was not answered', async () => {
  await network.enforce(policyOf(listed('shop.example')))
  expect(await lookup('shop.example')).toContain(FAR[4])
  expect((await network.reach('cliA')).includes('udp4')).toBe(true)
  const blocked = rule('cdn', 'block', A, { sites: ['far.example'] })
  await network.kill('SIGKILL')
  await nft('flush', 'ruleset')
  await network.start()
  await network.enforce(policyOf({ rules: [blocked, ...listed('shop.example').rules] }))
  expect(await lookup('shop.example')).toBe('0.0.0.0')
  expect(await network.reach('cliA')).toBe('')
})

test('what comes back to an address is judged by who has it now', async () => {
  const [address, port] = ['192.168.77.11', 40_123]
  await network.enforce(policyOf(cutA))
  const listening = `const s = require('dgram').createSocket({ type: 'udp4', reuseAddr: true }); let n = 0; s.on('message', () => n++); s.bind(${port}, () => process.argv[1] && s.send('push', ${PORT}, '${FAR[4]}')); setTimeout(() => { console.log(n); process.exit() }, 2500)`
  const b = network.run('cliB', process.execPath, '-e', listening, 'push')
  await pause(1000)
  await network.run('cliB', 'ip', 'addr', 'del', `${address}/24`, 'dev', 'eth0')
  await network.run('cliA', 'ip', 'addr', 'add', `${address}/24`, 'dev', 'eth0')
  await network.run(
    'rtr',
    'ip',
    'neigh',
    'replace',
    address,
    'lladdr',
    MACS.A,
    'dev',
    'br0',
    'nud',
    'reachable',
  )
  expect(Number(await b)).toBeGreaterThan(50)
  await pause(1500)
  expect(Number(await network.run('cliA', process.execPath, '-e', listening))).toBe(0)
  await network.run('cliA', 'ip', 'addr', 'del', `${address}/24`, 'dev', 'eth0')
  await network.run('rtr', 'ip', 'neigh', 'flush', 'dev', 'br0')
  await network.run('cliB', 'ip', 'addr', 'add', `${address}/24`, 'dev', 'eth0')
  await network.run('cliB', 'ip', 'route', 'replace', 'default', 'via', ROUTER)
  await network.run('cliB', 'ping', '-c', '1', '-W', '2', ROUTER)
})

test('an address that translates to IPv4 is judged as what it means', async () => {
  const translated = '64:ff9b::cb00:710a'
  await network.run('isp', 'ip', '-6', 'addr', 'replace', `${translated}/128`, 'dev', 'eth0', 'nodad')
  await network.run('rtr', 'ip', '-6', 'route', 'replace', `${translated}/128`, 'via', FAR[6])
  const passes = async (from: 'cliA' | 'cliB') =>
    (await network.probe(from, 'tcp', 6, Date.now() + 1500, translated)).length > 0
  expect(await passes('cliA')).toBe(true)
  await network.enforce(policyOf({ rules: [rule('block', 'block', A, { sites: ['203.0.113.0/24'] })] }))
  expect([await passes('cliA'), await passes('cliB')]).toEqual([false, true])
})

test('a damaged policy with rules for networks leaves alone who is open or never blocked', async () => {
  const [a, b] = (policyOf({}) as { devices: object[] }).devices
  const networks = [{ id: 'guest', name: 'Guests', subnets: ['192.168.99.0/24'] }]
  const inGuest = rule('guest', 'allow', { networks: ['guest'] }, { sites: ['wiki.example'] })
  const document = { ...policyOf({ networks, rules: [inGuest, ...cutA.rules] }), devices: [a, b] }
  for (const next of [
    document,
    {
      ...document,
      devices: [a, { ...b, shielded: true }],
      rules: [rule('all', 'block', { networks: ['guest'] }, INTERNET), ...cutA.rules],
    },
  ]) {
    await network.enforce(next)
    await network.kill('SIGKILL')
    await nft('flush', 'ruleset')
    writeFileSync(join(network.folder, 'policy.json'), '{')
    await network.start()
    expect([await network.reach('cliA'), await network.reach('cliB')]).toEqual(['', REACHED])
    expect(await network.lookup('cliB', 'far.example', 'A', ROUTER)).toBe(FAR[4])
  }
})

test('a start with the clock in 1970 holds restricted devices as outside of all time, says so, and goes on when it is right', async () => {
  // It is blocked for a minute a day, far from now and from noon.
  const hour = [3, 21].find((one) => Math.abs(one - new Date().getUTCHours()) > 2)!
  const week = `Mo-Su ${String(hour).padStart(2, '0')}:00-${String(hour).padStart(2, '0')}:01`
  const off = { ...rule('off', 'block', A, INTERNET), when: { schedules: ['s'] } }
  await network.enforce(policyOf({ schedules: [{ id: 's', name: 'S', week }], rules: [off] }))
  await expect.poll(() => network.reach('cliA'), { timeout: 8000 }).toBe(REACHED)
  await network.kill('SIGKILL')
  writeFileSync(join(network.folder, 'clock-known'), String(Math.floor(Date.now() / 1000)))
  network.setClock(86_400_000 + 43_200_000)
  await nft('flush', 'ruleset')
  await network.start()
  expect([await network.reach('cliA'), await network.reach('cliB')]).toEqual(['', REACHED])
  expect(await kinds()).toContain('clock-past')
  network.setClock(Date.now())
  await expect.poll(() => network.reach('cliA'), { timeout: 12_000 }).toBe(REACHED)
  expect(await kinds()).not.toContain('clock-past')
})
