import { afterAll, beforeAll, beforeEach, expect, test } from 'vitest'
import { cutA, longestGap, policyOf, PROBE, REACHED, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork()
})
afterAll(() => network.stop())
beforeEach(async () => {
  await network.run('rtr', 'nft', 'delete', 'table', 'inet', 'theirs').catch(() => {})
  await network.run('rtr', 'nft', 'delete', 'table', 'ip', 'nat').catch(() => {})
  await network.enforce(policyOf({}))
})

const blockA = policyOf(cutA)
const reach = (host: 'cliA' | 'cliB') => network.reach(host)

/** The chains that firewalls and routers mostly have, at a priority before or after ours. */
const firewall = (priority: number) => `table inet theirs {
chain input { type filter hook input priority ${priority}; policy drop;
ct state established,related accept
iifname { "lo", "br0" } accept
meta l4proto { icmp, icmpv6 } accept
}
chain forward { type filter hook forward priority ${priority}; policy drop;
ct state established,related accept
tcp dport 7000 ip daddr 203.0.113.11 drop
iifname "br0" oifname "wan" accept
}
}
`
const MASQUERADE = `table ip nat {
chain postrouting { type nat hook postrouting priority srcnat; policy accept;
oifname "wan" masquerade
}
}
`

test.each([
  [
    'behind one address, with a firewall before ours that drops what it does not know',
    firewall(-10) + MASQUERADE,
  ],
  ['behind one address, with such a firewall after ours', firewall(10) + MASQUERADE],
])(
  '%s, a device is blocked and the other reaches what it did; what they drop stays dropped',
  async (_, theirs) => {
    await network.load(theirs)
    expect([await reach('cliA'), await reach('cliB')]).toEqual([REACHED, REACHED])
    await network.enforce(blockA)
    expect([await reach('cliA'), await reach('cliB')]).toEqual(['', REACHED])
    expect(await network.probe('cliB', 'tcp', 4, '+1500', '203.0.113.11')).toEqual([])
    // Look-ups come to us whatever they do.
    expect(await network.lookup('cliB', 'clips.example', 'A', '192.168.77.1')).not.toBe('silence')
    // Theirs is as it was.
    const tables = await network.run('rtr', 'nft', 'list', 'tables')
    for (const name of ['inet theirs', 'ip nat'])
      expect([name, tables.includes(`table ${name}`)]).toEqual([name, theirs.includes(`table ${name}`)])
  },
)

test('beside a DNS server of the router itself, look-ups of the local network are answered by ours', async () => {
  // It answers whatever it is asked.
  network.run('rtr', process.execPath, PROBE, 'dns', '53').catch(() => {})
  const [rule] = cutA.rules
  await network.enforce(policyOf({ rules: [{ ...rule, what: { sites: ['clips.example'] } }] }))
  const asked = (host: 'cliA' | 'cliB') => network.lookup(host, 'clips.example', 'A', '192.168.77.1')
  expect([await asked('cliA'), await asked('cliB')]).toEqual(['0.0.0.0', expect.stringMatching(/^198\.51\./)])
  const own = () =>
    network.run('rtr', process.execPath, PROBE, 'lookup', 'clips.example', 'A', '127.0.0.1', 'udp')
  expect((await own()).trim()).toMatch(/^198\.51\./)
})

test('a download that goes on behind one address is cut when its device is blocked, and no other', async () => {
  await network.load(MASQUERADE)
  const until = Date.now() + 6000
  const [a, b] = [network.probe('cliA', 'udp', 4, until), network.probe('cliB', 'udp', 4, until)]
  await new Promise((resolve) => setTimeout(resolve, 2000))
  const asked = Date.now()
  await network.enforce(blockA)
  const cut = Date.now()
  const answered = await a
  expect(answered.filter((time) => time < asked).length).toBeGreaterThan(10)
  expect(answered.filter((time) => time > cut + 200)).toEqual([])
  expect(longestGap(await b, asked - 1000, until - 500)).toBeLessThan(500)
})

test('with another IPv6 prefix, devices are held as before', async () => {
  await network.enforce(blockA)
  const replace = async (from: string, to: string) => {
    await network.run('rtr', 'ip', '-6', 'addr', 'add', `${to}::1/64`, 'dev', 'br0', 'nodad')
    await network.run('isp', 'ip', '-6', 'route', 'replace', `${to}::/64`, 'via', '2001:db8::2')
    for (const [host, last] of [
      ['cliA', 'a'],
      ['cliB', 'b'],
    ] as const) {
      await network.run(host, 'ip', '-6', 'addr', 'add', `${to}::${last}/64`, 'dev', 'eth0', 'nodad')
      await network.run(host, 'ip', '-6', 'addr', 'del', `${from}::${last}/64`, 'dev', 'eth0')
      await network.run(host, 'ip', '-6', 'route', 'replace', 'default', 'via', `${to}::1`)
    }
    await network.run('rtr', 'ip', '-6', 'addr', 'del', `${from}::1/64`, 'dev', 'br0')
  }
  await replace('2001:db8:1', '2001:db8:7')
  try {
    await expect.poll(() => reach('cliB'), { timeout: 15_000 }).toBe(REACHED)
    expect(await reach('cliA')).toBe('')
  } finally {
    await replace('2001:db8:7', '2001:db8:1')
  }
})
