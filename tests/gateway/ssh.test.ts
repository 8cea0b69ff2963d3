import { existsSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { ALIVE } from '../../gateway/linux/lead.ts'
import { letInCommands } from '../../gateway/linux/let-in.ts'
import { lineOf, readingLine, REFUSED } from '../../gateway/linux/shell.ts'
import { ownKey, VIA_FILES } from '../../gateway/linux/via.ts'
import { onSmallRouter, ROUTER_LEASES } from './small-router.ts'
import { cutA, MACS, policyOf, PROBE, REACHED, startNetwork, type Network } from './network.ts'

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
const kinds = async () => (await network.gateway.status()).alarms.map(({ kind }) => kind)
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
  await network.kill('SIGKILL')
  expect(await reach('cliA')).toBe('udp4 udp6')
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
