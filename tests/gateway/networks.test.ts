import { afterAll, beforeAll, beforeEach, expect, test } from 'vitest'
import { longestGap, MACS, policyOf, REACHED, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork({ lans: ['br0', 'br-guest'] })
})
afterAll(() => network.stop())
beforeEach(async () => {
  await network.enforce(policyOf({}))
  for (const host of ['cliA', 'cliB'] as const) await goTo(host, 'home')
})

/** The links of a machine to the router from each network; as guest it has the same MAC address. */
const WAYS = {
  home: { dev: 'eth0', 4: '192.168.77.1', 6: '2001:db8:1::1' },
  guests: { dev: 'eth1', 4: '192.168.78.1', 6: '2001:db8:2::1' },
} as const
/** Sends what a machine sends from now on through a network. */
async function goTo(host: 'cliA' | 'cliB', name: keyof typeof WAYS, ...more: string[]): Promise<void> {
  const way = WAYS[name]
  for (const version of [4, 6] as const)
    await network.run(
      host,
      'ip',
      `-${version}`,
      'route',
      'replace',
      'default',
      'via',
      way[version],
      'dev',
      way.dev,
      ...(version === 4 ? more : []),
    )
}
const GUESTS = { id: 'guests', name: 'Guest Wi-Fi', interfaces: ['br-guest'] }
const rule = (effect: 'block' | 'allow', who: object, what: object = { internet: true }) => ({
  id: JSON.stringify([effect, who])
    .replaceAll(/[^a-z]+/g, '-')
    .slice(1, 40),
  name: `${effect} ${JSON.stringify(who)}`,
  effect,
  who,
  what,
  when: { always: true },
})
const inGuests = { networks: ['guests'] }
const reachFrom = async (host: 'cliA' | 'cliB', name: keyof typeof WAYS) => {
  await goTo(host, name)
  return network.reach(host)
}

test('the same device may other things in another network, and so may unknown ones', async () => {
  const guestsBlocked = { networks: [GUESTS], rules: [rule('block', inGuests)] }
  await network.enforce(policyOf(guestsBlocked))
  for (const host of ['cliA', 'cliB'] as const)
    expect([await reachFrom(host, 'home'), await reachFrom(host, 'guests')]).toEqual([REACHED, ''])
  // Only those whom the rule excepts, or unknown ones elsewhere.
  await network.enforce(
    policyOf({
      networks: [GUESTS],
      devices: [{ id: 'a', name: 'Press tablet', adapters: [{ mac: MACS.A, medium: 'wifi' }] }],
      rules: [rule('block', { newcomers: true, devices: ['a'], except: inGuests })],
    }),
  )
  for (const host of ['cliA', 'cliB'] as const)
    expect([await reachFrom(host, 'home'), await reachFrom(host, 'guests')]).toEqual(['', REACHED])
  // An override of the network as a whole counts before them.
  await network.enforce({
    ...policyOf(guestsBlocked),
    overrides: [{ id: 'o', effect: 'allow', who: inGuests, from: '2026-11-01T00:00:00Z', until: null }],
  })
  expect([await reachFrom('cliA', 'home'), await reachFrom('cliA', 'guests')]).toEqual([REACHED, REACHED])
})

test('the first network that a packet fits counts: an address range within one interface, before the interface', async () => {
  const [high, all] = [
    { id: 'high', name: 'Upper half', subnets: ['192.168.77.128/25'] },
    { id: 'home', name: 'Home', interfaces: ['br0'] },
  ]
  await network.run('cliB', 'ip', 'addr', 'add', '192.168.77.139/24', 'dev', 'eth0')
  try {
    await network.enforce(policyOf({ networks: [high, all], rules: [rule('block', { networks: ['high'] })] }))
    expect(await network.reach('cliB')).toBe(REACHED)
    await goTo('cliB', 'home', 'src', '192.168.77.139')
    expect(await network.reach('cliB')).toBe('udp6 tcp6')
    expect(await network.reach('cliA')).toBe(REACHED)
    await network.enforce(policyOf({ networks: [high, all], rules: [rule('block', { networks: ['home'] })] }))
    expect(await network.reach('cliB')).toBe('udp4 tcp4')
    expect(await network.reach('cliA')).toBe('')
    await network.enforce(policyOf({ networks: [all, high], rules: [rule('block', { networks: ['home'] })] }))
    expect(await network.reach('cliB')).toBe('')
  } finally {
    await network.run('cliB', 'ip', 'addr', 'del', '192.168.77.139/24', 'dev', 'eth0')
  }
})

test.each([4, 6] as const)(
  'who goes to another network while it sends is judged by that, both ways, and back again (IPv%s)',
  async (version) => {
    await network.enforce(policyOf({ networks: [GUESTS], rules: [rule('block', inGuests)] }))
    const begun = Date.now()
    const [sent, other] = [
      network.probe('cliA', 'udp', version, begun + 7000),
      network.probe('cliB', 'udp', version, begun + 7000),
    ]
    const at = async (milliseconds: number) =>
      new Promise((resolve) => setTimeout(resolve, begun + milliseconds - Date.now()))
    await at(2000)
    await goTo('cliA', 'guests')
    const gone = Date.now()
    await at(4500)
    const back = Date.now()
    await goTo('cliA', 'home')
    const answered = await sent
    const guard = 200
    expect(longestGap(answered, begun + 1000, gone)).toBeLessThan(500)
    expect(answered.filter((time) => time > gone + guard && time < back)).toEqual([])
    expect(longestGap(answered, back + guard, begun + 6500)).toBeLessThan(1000)
    expect(longestGap(await other, begun + 1000, begun + 6500)).toBeLessThan(500)
  },
)

test('look-ups are answered by the network they come from', async () => {
  const clips = { sites: ['clips.example'] }
  const unknownB = {
    devices: [{ id: 'a', name: 'Press tablet', adapters: [{ mac: MACS.A, medium: 'wifi' }] }],
  }
  await network.enforce({
    ...policyOf({ networks: [GUESTS], rules: [rule('block', inGuests, clips)] }),
    ...unknownB,
  })
  for (const host of ['cliA', 'cliB'] as const)
    for (const over of ['udp', 'tcp'] as const) {
      const ask = (server: string) => network.lookup(host, 'clips.example', 'A', server, over)
      expect(await ask('192.168.78.1')).toBe('0.0.0.0')
      expect(await ask('2001:db8:2::1')).toBe('0.0.0.0')
      expect(await ask('192.168.77.1')).not.toBe('0.0.0.0')
      expect(await ask('2001:db8:1::1')).not.toBe('0.0.0.0')
    }
})

test('both networks reach each other and the router whatever is blocked, and it is told where a device is', async () => {
  await network.enforce(
    policyOf({ networks: [GUESTS], rules: [rule('block', { everyone: true }), rule('block', inGuests)] }),
  )
  for (const [from, to] of [
    ['home', '192.168.78.11'],
    ['home', '2001:db8:2::b'],
    ['guests', '192.168.77.11'],
    ['guests', WAYS.guests[4]],
  ] as const) {
    await network.run('cliA', 'ping', '-c', '1', '-W', '3', '-I', WAYS[from].dev, to)
  }
  await goTo('cliA', 'guests')
  const whereA = async () => {
    await network.run('cliA', 'ping', '-c', '1', '-W', '1', '-I', 'eth1', WAYS.guests[4])
    return (await network.gateway.sightings()).find(({ mac }) => mac === MACS.A)?.interface
  }
  await network.run('rtr', 'ip', 'neigh', 'flush', 'dev', 'br0')
  await expect.poll(whereA, { timeout: 15_000 }).toBe('br-guest')
})

test('a rule for a network on an interface that is not watched is refused in words', async () => {
  await expect(
    network.enforce(
      policyOf({
        networks: [{ id: 'guests', name: 'Guest Wi-Fi', interfaces: ['br-cellar'] }],
        rules: [rule('block', inGuests)],
      }),
    ),
  ).rejects.toThrow('Guest Wi-Fi is on br-cellar, which this gateway does not watch')
})
