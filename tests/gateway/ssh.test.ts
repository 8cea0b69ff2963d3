import { spawnSync } from 'node:child_process'
import { existsSync, mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join, resolve } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { ALIVE } from '../../gateway/planes/linux/table/lead.ts'
import { letInCommands } from '../../gateway/router/let-in.ts'
import { lineOf, readingLine, REFUSED } from '../../gateway/planes/linux/ssh/shell.ts'
import { ownKey, VIA_FILES } from '../../gateway/planes/linux/ssh/via.ts'
import { onSmallRouter, ROUTER_LEASES } from './small-router.ts'
import { cutA, FAR, MACS, policyOf, PROBE, REACHED, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork({
    via: 'openssh',
    bound: false,
    more: ['--fallback', 'open', '--start-up'],
  })
  // The router's own resolver, which answers whatever is asked.
  network.run('rtr', process.execPath, PROBE, 'dns', '53').catch(() => {})
})
afterAll(() => network.stop())

const rule = (id: string, what: object) => ({
  id,
  name: id,
  effect: 'block',
  who: { devices: ['a'] },
  what,
  when: { always: true },
})
const RAW = resolve('tests/gateway/raw.py')
const kinds = async () => (await network.gateway.status()).alarms.map(({ kind }) => kind)
/** Counts the programs on the router that tell its driver what is removed from the packet filter. */
const watches = () =>
  spawnSync('ip', ['netns', 'pids', network.namespaceOf('rtr')], { encoding: 'utf8' })
    .stdout.split('\n')
    .filter((pid) => existsSync(`/proc/${pid}/cmdline`) && pid !== '')
    .filter((pid) => readFileSync(`/proc/${pid}/cmdline`, 'utf8').startsWith('nft\0monitor')).length
const reach = (host: 'cliA' | 'cliB') => network.reach(host)

test('a router that was restarted has its table back within five seconds of its SSH server; that it was away is told', async () => {
  await network.enforce(policyOf(cutA))
  expect([await reach('cliA'), await reach('cliB'), await kinds()]).toEqual(['', REACHED, []])
  await network.ssh!.stop()
  await network.run('rtr', 'nft', 'flush', 'ruleset')
  await expect.poll(kinds, { timeout: 20_000 }).toEqual(['unreachable'])
  const { digest } = await network.gateway.status()
  await network.ssh!.start()
  const there = Date.now()
  await expect
    .poll(() => network.run('rtr', 'nft', 'list', 'tables'), { interval: 50, timeout: 10_000 })
    .toContain('inet kairostat')
  expect(Date.now() - there).toBeLessThan(5000)
  expect([await reach('cliA'), await reach('cliB')]).toEqual(['', REACHED])
  await expect.poll(kinds, { timeout: 10_000 }).not.toContain('unreachable')
  expect((await network.gateway.status()).digest).toBe(digest)
})

test('a router that starts loads the last table before anybody reaches it', async () => {
  await network.enforce(policyOf(cutA))
  const table = join(network.ssh!.root, 'etc/kairostat/table.nft')
  await expect
    .poll(() => existsSync(table) && readFileSync(table, 'utf8'), { timeout: 90_000 })
    .toContain(MACS.A)
  await network.ssh!.stop()
  await network.run('rtr', 'nft', 'flush', 'ruleset')
  expect(await reach('cliA')).toBe(REACHED)
  await network.ssh!.boot()
  expect([await reach('cliA'), await reach('cliB')]).toEqual(['', REACHED])
  await network.ssh!.start()
  await expect.poll(kinds, { timeout: 20_000 }).toEqual([])
  expect([await reach('cliA'), await reach('cliB')]).toEqual(['', REACHED])
}, 180_000)

test('when the machine that answers look-ups is gone, devices are held all the same, and the router’s own resolver answers', async () => {
  await network.enforce(policyOf({ rules: [rule('no-clips', { sites: ['clips.example'] })] }))
  const ask = () => network.lookup('cliA', 'clips.example', 'A', '192.168.77.1')
  expect(await ask()).toBe('0.0.0.0')
  await network.enforce(
    policyOf({
      rules: [rule('no-clips', { sites: ['clips.example'] }), rule('no-service', { services: ['tcp/7000'] })],
    }),
  )
  expect(watches()).toBe(1)
  await network.kill('SIGKILL')
  expect(await reach('cliA')).toBe('udp4 udp6')
  expect(watches()).toBe(0)
  await pause(ALIVE * 1000)
  expect(await ask()).toMatch(/^198\.51\.100\./)
  expect(await reach('cliA')).toBe('udp4 udp6')
  await network.start()
  await expect.poll(ask, { timeout: 15_000 }).toBe('0.0.0.0')
})

test('a key can be bound to what is sent to a router: nothing else runs, what is sent does', async () => {
  await network.enforce(policyOf({}))
  const { keyLine } = await ownKey(network.folder)
  const onRouter = (line: string) =>
    network.run('rtr', 'unshare', '--mount', 'sh', '-c', onSmallRouter(network.ssh!.root, line))
  await onRouter(letInCommands(keyLine, [ROUTER_LEASES]).bound)
  // Nobody else's key is lost, and of two lines for ours the first would count.
  const keys = await onRouter('cat /root/.ssh/authorized_keys')
  expect([keys.split(keyLine.split(' ')[1]!).length, keys.startsWith('command=')]).toEqual([2, true])
  const options = [
    '-i',
    join(network.folder, VIA_FILES.key),
    '-oStrictHostKeyChecking=no',
    '-oUserKnownHostsFile=/dev/null',
  ]
  const asked = (line: string) =>
    network
      .run('ctl', 'ssh', ...options, '-oLogLevel=ERROR', 'root@192.168.77.1', ...(line ? [line] : []))
      .then(
        (said) => said,
        (error: unknown) => `refused: ${String(error)}`,
      )
  expect(await asked(lineOf('nft', ['list', 'tables']))).toContain('table inet')
  for (const line of [
    '',
    'id',
    'nft list tables',
    lineOf('nft', ['-f', '/etc/shadow']),
    lineOf('sh', ['-c', 'id']),
    `${lineOf('true', [])}; id`,
    `${lineOf('true', [])}\nid`,
    `LD_PRELOAD=/tmp/x ${lineOf('true', [])}`,
    readingLine('/etc/shadow'),
  ])
    expect([line, await asked(line)]).toEqual([line, expect.stringContaining(REFUSED.words)])
  await network.kill('SIGKILL')
  await network.start()
  await network.enforce(policyOf(cutA))
  expect([await reach('cliA'), await reach('cliB')]).toEqual(['', REACHED])
})

test('a look-up that does not come by the router is not answered, and told; nor does the address of this machine let anybody out', async () => {
  await network.enforce(policyOf(cutA))
  const ctl = (
    JSON.parse(await network.run('ctl', 'ip', '-j', '-4', 'addr', 'show', 'eth0')) as [
      { addr_info: [{ local: string }] },
    ]
  )[0].addr_info[0].local
  const ports = await network.run('rtr', 'nft', 'list', 'map', 'inet', 'kairostat', 'resolvers')
  const port = new RegExp(`${MACS.B} : (\\d+)`).exec(ports)![1]!
  // Many bridges show the packet filter nothing of what passes within them.
  await network.run(
    'rtr',
    'sh',
    '-c',
    'for f in ip ip6; do echo 0 > /proc/sys/net/bridge/bridge-nf-call-${f}tables || true; done',
  )
  const asking = `const packet = require('${resolve('node_modules/dns-packet/index.js')}'); const s = require('dgram').createSocket('udp4'); s.on('message', () => { console.log('answered'); process.exit() }); s.send(packet.encode({ type: 'query', id: 7, flags: 256, questions: [{ name: 'far.example', type: 'A' }] }), ${port}, '${ctl}'); setTimeout(() => { console.log('silence'); process.exit() }, 1500)`
  expect((await network.run('cliA', process.execPath, '-e', asking)).trim()).toBe('silence')
  await expect.poll(kinds, { timeout: 5000 }).toContain('forged')
  // Those who ask by the router are answered all the same.
  await expect
    .poll(() => network.lookup('cliB', 'far.example', 'A', '192.168.77.1'), { timeout: 10_000 })
    .toBe(FAR[4])

  const signs = mkdtempSync(join(network.folder, 'count-'))
  const counting = network.run('isp', 'python3', RAW, 'count', 'eth0', ctl, signs)
  await expect.poll(() => existsSync(join(signs, 'counting')), { timeout: 10_000 }).toBe(true)
  const send = ['send', 'eth0', MACS.A, '02:00:00:00:00:01', ctl, FAR[4], 'udp-40000-5300', '50']
  await network.run('cliA', 'python3', RAW, ...send)
  writeFileSync(join(signs, 'enough'), '')
  expect(Number((await counting).trim().split('\n').at(-1))).toBe(0)
})

test('a router that another machine drives is left to it, and that is told by its name; once that is silent it is taken over', async () => {
  await network.enforce(policyOf({}))
  const theirs = `delete table inet kairostat
table inet kairostat {
set by_ffffffffffff_backroom { type inet_proto; elements = { tcp } }
set alive { type inet_proto; flags timeout; elements = { tcp timeout 10s } }
}
`
  writeFileSync(join(network.folder, 'theirs'), theirs)
  await network.run('rtr', 'nft', '-f', join(network.folder, 'theirs'))
  await expect(network.enforce(policyOf(cutA))).rejects.toThrow(
    'Another Kairostat, on backroom, drives this router',
  )
  const { alarms } = await network.gateway.status()
  expect(alarms.filter(({ kind }) => kind === 'other-driver').map(({ about }) => about)).toEqual(['backroom'])
  expect(await network.run('rtr', 'nft', 'list', 'table', 'inet', 'kairostat')).toContain('backroom')
  await pause(11_000)
  await network.enforce(policyOf(cutA))
  expect([await reach('cliA'), await reach('cliB')]).toEqual(['', REACHED])
  expect(await kinds()).not.toContain('other-driver')
})

test('the key is for its user alone, the host key is pinned, and another one is refused in words', async () => {
  const [key, hostKey] = [join(network.folder, VIA_FILES.key), join(network.folder, VIA_FILES.hostKey)]
  const pinned = readFileSync(hostKey, 'utf8')
  expect([statSync(key).mode & 0o77, pinned]).toEqual([0, expect.stringMatching(/^SHA256:[\w+/]{43}\n$/)])
  await network.kill('SIGTERM')
  writeFileSync(hostKey, `SHA256:${'A'.repeat(43)}\n`)
  await expect(network.start()).rejects.toThrow('shows another host key than the one that was pinned')
  writeFileSync(hostKey, pinned)
  const own = readFileSync(key)
  rmSync(key)
  await expect(network.start()).rejects.toThrow(
    /does not let root in with this key\. Add it to the authorized keys there: ssh-ed25519 [\w+/]+=* kairostat/,
  )
  writeFileSync(key, own)
  await network.start()
})
