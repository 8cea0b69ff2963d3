import { GatewaySecret } from '../../gateway/transport/pairing.ts'
import type { AddressInfo } from 'node:net'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { instantText, localText } from '../../core/time/instant.ts'
import { startSimulatedGateway } from '../../gateway/simulation/simulated-gateway.ts'
import { gatewayAt } from '../../gateway/transport/http-client.ts'
import { gatewayServer } from '../../gateway/transport/http-server.ts'
import type { Gateway } from '../../protocol/gateway/gateway.ts'
import { simulatedPlane } from '../../gateway/planes/simulated/plane.ts'
import { enforce, FAR, MACS, policyOf, PORT, startNetwork } from './network.ts'

/** A plane under test, asked over the protocol: what of all that a machine tries passes. */
interface Plane {
  readonly gateway: Gateway
  passes(machine: 'A' | 'B'): Promise<string>
  stop(): Promise<void>
}

const SECRET = 'a-secret-of-the-conformance-test'
const NAMES = ['far.example', 'minigame.example']
const ALL = `udp4 udp6 tcp4 tcp6 ${NAMES.join(' ')}`

async function linux(): Promise<Plane> {
  const network = await startNetwork()
  return {
    gateway: network.gateway,
    passes: async (machine) => {
      const from = `cli${machine}` as const
      const [reached, ...answers] = await Promise.all([
        network.reach(from),
        ...NAMES.map((name) => network.lookup(from, name, 'A', '192.168.77.1')),
      ])
      return [
        reached,
        ...NAMES.filter((_, index) => /^\d/.test(answers[index]!) && answers[index] !== '0.0.0.0'),
      ]
        .filter(Boolean)
        .join(' ')
    },
    stop: network.stop,
  }
}

async function simulated(): Promise<Plane> {
  const own = await startSimulatedGateway(simulatedPlane([], { timeZone: 'Europe/Lisbon', seed: 1 }), {
    folder: null,
  })
  // Over TLS, as a gateway on another machine is reached.
  const server = gatewayServer(own, new GatewaySecret(SECRET), true)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const { port } = server.address() as AddressInfo
  const gateway = gatewayAt(`tls://127.0.0.1:${port}`, SECRET)
  await expect(gatewayAt(`tls://127.0.0.1:${port}`, `${SECRET}x`).status()).rejects.toThrow()
  await expect(gatewayAt(`http://127.0.0.1:${port}`, SECRET).status()).rejects.toThrow()
  const tries = {
    udp4: `udp://${FAR[4]}:${PORT}`,
    udp6: `udp://[${FAR[6]}]:${PORT}`,
    tcp4: `tcp://${FAR[4]}:${PORT}`,
    tcp6: `tcp://[${FAR[6]}]:${PORT}`,
    ...Object.fromEntries(NAMES.map((name) => [name, name])),
  }
  const simulation = await gateway.simulation()
  return {
    gateway,
    passes: async (machine) => {
      const flows = await Promise.all(Object.values(tries).map((to) => simulation.send(MACS[machine], to)))
      return Object.keys(tries)
        .filter((_, index) => flows[index]!.effect === 'allow')
        .join(' ')
    },
    stop: async () => {
      await own.stop()
      server.closeAllConnections()
      await new Promise((resolve) => server.close(resolve))
    },
  }
}

const now = () => Math.floor(Date.now() / 1000)
/** Hours of every day that begin and end so many minutes from now, on a clock in Lisbon. */
const week = (from: number, until: number) =>
  `Mo-Su ${[from, until].map((minutes) => localText(now() + minutes * 60, 'Europe/Lisbon').slice(11, 16)).join('-')}`
const who = {
  a: { devices: ['a'] },
  both: { everyone: true },
  but: { everyone: true, except: { devices: ['b'] } },
}
const rule = (effect: 'allow' | 'block', whom: object, what: object, when: object = { always: true }) => ({
  id: `${effect}-${JSON.stringify(what).replace(/\W+/g, '-')}`,
  name: 'A rule',
  effect,
  who: whom,
  what,
  when,
})
const cut = rule('block', who.a, { internet: true })
const override = (effect: 'allow' | 'block', from: number, until: number | null) => ({
  id: 'for-now',
  effect,
  who: who.a,
  from: instantText(now() + from),
  until: until === null ? null : instantText(now() + until),
})
const apps = [
  { id: 'game', name: 'A game', category: 'games', sites: ['minigame.example'], services: [`udp/${PORT}`] },
]

type Case = readonly [what: string, more: () => object, a: string, b: string]
const CASES: readonly Case[] = [
  ['no rule', () => ({}), ALL, ALL],
  ['a device that is cut off', () => ({ rules: [cut] }), '', ALL],
  [
    'one that is shielded',
    () => ({
      devices: (policyOf({}) as { devices: object[] }).devices.map((device, index) => ({
        ...device,
        shielded: index === 0,
      })),
      rules: [rule('block', who.both, { internet: true })],
      overrides: [override('block', -60, null)],
    }),
    ALL,
    '',
  ],
  [
    'a service',
    () => ({ rules: [rule('block', who.a, { services: ['tcp/6990-7010'] })] }),
    'udp4 udp6 far.example minigame.example',
    ALL,
  ],
  [
    'a service towards a block',
    () => ({ rules: [rule('block', who.both, { services: ['tcp/7000@203.0.113.0/24'] })] }),
    'udp4 udp6 tcp6 far.example minigame.example',
    'udp4 udp6 tcp6 far.example minigame.example',
  ],
  [
    'other ports',
    () => ({ rules: [rule('block', who.both, { services: ['tcp/7001-7002', 'udp/7001'] })] }),
    ALL,
    ALL,
  ],
  [
    'addresses that lie in each other',
    () => ({
      rules: [rule('block', who.both, { sites: ['203.0.113.0/24', '203.0.113.10', '2001:db8:9::/48'] })],
    }),
    'udp6 tcp6 far.example minigame.example',
    'udp6 tcp6 far.example minigame.example',
  ],
  [
    'names and what lies under them',
    () => ({ rules: [rule('block', who.a, { sites: ['example'] })] }),
    'udp4 udp6 tcp4 tcp6',
    ALL,
  ],
  [
    'a word, with an exception before it',
    () => ({
      rules: [
        rule('allow', who.a, { sites: ['minigame.example'] }),
        rule('block', who.both, { keywords: ['game'] }),
      ],
    }),
    ALL,
    'udp4 udp6 tcp4 tcp6 far.example',
  ],
  [
    'an app',
    () => ({ apps, rules: [rule('block', who.a, { apps: ['game'] })] }),
    'tcp4 tcp6 far.example',
    ALL,
  ],
  [
    'a category, of everyone but one',
    () => ({ apps, rules: [rule('block', who.but, { categories: ['games'] })] }),
    'tcp4 tcp6 far.example',
    ALL,
  ],
  [
    'only what is listed',
    () => ({ rules: [rule('allow', who.a, { sites: ['2001:db8::10'], services: ['udp/7000'] }), cut] }),
    'udp4 udp6 tcp6',
    ALL,
  ],
  [
    'an exception that comes after',
    () => ({ rules: [cut, rule('allow', who.a, { services: ['udp/7000'] })] }),
    '',
    ALL,
  ],
  ['a rule that is switched off', () => ({ rules: [{ ...cut, enabled: false }] }), ALL, ALL],
  [
    'a rule that is only logged',
    () => ({ rules: [{ ...cut, logOnly: true }, rule('block', who.a, { services: ['tcp/7000'] })] }),
    'udp4 udp6 far.example minigame.example',
    ALL,
  ],
  [
    'an occasion to come',
    () => ({
      rules: [
        rule('block', who.a, { internet: true }, { from: '2037-01-01T00:00', until: '2037-01-02T00:00' }),
      ],
    }),
    ALL,
    ALL,
  ],
  [
    'hours that are now',
    () => ({
      schedules: [{ id: 's', name: 'S', week: week(-90, 90) }],
      rules: [rule('block', who.a, { internet: true }, { schedules: ['s'] })],
    }),
    '',
    ALL,
  ],
  [
    'hours that are over',
    () => ({
      schedules: [{ id: 's', name: 'S', week: week(-90, -30) }],
      rules: [rule('block', who.a, { internet: true }, { schedules: ['s'] })],
    }),
    ALL,
    ALL,
  ],
  [
    'outside such hours',
    () => ({
      schedules: [{ id: 's', name: 'S', week: week(-90, -30) }],
      rules: [rule('block', who.a, { internet: true }, { schedules: ['s'], outside: true })],
    }),
    '',
    ALL,
  ],
  ['an override that opens', () => ({ rules: [cut], overrides: [override('allow', -60, 3600)] }), ALL, ALL],
  ['one that is over', () => ({ rules: [cut], overrides: [override('allow', -60, -1)] }), '', ALL],
  ['one that cuts off until it is lifted', () => ({ overrides: [override('block', -60, null)] }), '', ALL],
  [
    'a group less one of its members',
    () => ({
      groups: [{ id: 'g', name: 'G', members: ['a', 'b'] }],
      rules: [rule('block', { groups: ['g'], except: { devices: ['a'] } }, { internet: true })],
    }),
    ALL,
    '',
  ],
  ['newcomers alone', () => ({ rules: [rule('block', { newcomers: true }, { internet: true })] }), ALL, ALL],
  [
    'an address that no device has any more',
    () => ({
      devices: (policyOf({}) as { devices: object[] }).devices.slice(1),
      rules: [rule('block', { newcomers: true }, { internet: true })],
    }),
    '',
    ALL,
  ],
]

// Over SSH the simulated one is no other, and the table is the same: a third of the cases will do.
const isOverSsh = Boolean(process.env.KAIROSTAT_TEST_VIA)
const cases = CASES.filter((_, index) => !isOverSsh || index % 3 === 0)
const planes: [string, () => Promise<Plane>][] = [
  ...(isOverSsh ? [] : [['the simulated plane', simulated] as [string, () => Promise<Plane>]]),
  ['the Linux plane', linux],
]
describe.each(planes)('%s', (_, start) => {
  let plane: Plane
  beforeAll(async () => {
    plane = await start()
  })
  afterAll(() => plane.stop())

  test.each(cases)('%s', async (_what, more, a, b) => {
    const before = (await plane.gateway.evidence()).devices
    await enforce(plane.gateway, policyOf(more()))
    expect(await Promise.all([plane.passes('A'), plane.passes('B')])).toEqual([a, b])
    // The counts of the plane agree: nothing of a blocked machine passes.
    const { devices } = await plane.gateway.evidence()
    const passed = (all: typeof devices, mac: string) =>
      all.find((one) => one.mac === mac)?.passed.packets ?? 0
    for (const [mac, reached] of [
      [MACS.A, a],
      [MACS.B, b],
    ] as const)
      expect([mac, passed(devices, mac) > passed(before, mac)]).toEqual([mac, reached !== ''])
  })

  test('a rule that is only logged counts what it speaks of, what stands before it not, and drops nothing', async () => {
    const logged = async () =>
      (await plane.gateway.evidence()).clauses.find(({ id }) => id === 'watch')?.logged.packets ?? 0
    const [games, rest] = [
      rule('block', who.a, { sites: ['minigame.example'] }),
      { ...rule('block', who.a, { keywords: ['game', 'far'] }), id: 'watch', logOnly: true },
    ]
    await enforce(plane.gateway, policyOf({ rules: [games, rest] }))
    expect(await plane.passes('A')).toBe('udp4 udp6 tcp4 tcp6 far.example')
    const once = await logged()
    await enforce(plane.gateway, policyOf({ rules: [{ ...rest, what: { internet: true } }] }))
    expect(await plane.passes('A')).toBe(ALL)
    const { clauses, recent } = await plane.gateway.evidence()
    const watch = clauses.find(({ id }) => id === 'watch')!
    expect([once > 0, watch.logged.packets > once, watch.dropped.packets]).toEqual([true, true, 0])
    expect(recent.find(({ effect }) => effect === 'log')).toMatchObject({ mac: MACS.A, because: 'watch' })
    expect(
      recent.some(
        ({ effect, because, to }) => effect === 'log' && because === 'watch' && to.includes('minigame'),
      ),
    ).toBe(true)
  })

  test('settings are taken whole or not at all, kept, and told; the page says what is closed', async () => {
    const { gateway } = plane
    const { settings } = await gateway.status()
    expect(await gateway.set({ ...settings, lookups: { ...settings.lookups, days: 400 } })).toEqual([
      { path: 'lookups.days', message: 'is 400: give a whole number of days from 1 to 90' },
    ])
    expect((await gateway.status()).settings).toEqual(settings)
    const next = {
      closedAddresses: true,
      page: { shown: true, words: 'Ask Marta <b>first</b>.' },
      lookups: { kept: true, days: 3, exempt: ['b'] },
    }
    expect(await gateway.set(next)).toBeNull()
    await enforce(
      gateway,
      policyOf({
        schedules: [{ id: 's', name: 'Binding hours', week: '24/7' }],
        rules: [rule('block', who.a, { sites: ['minigame.example'] }, { schedules: ['s'] })],
      }),
    )
    await Promise.all([plane.passes('A'), plane.passes('B')])
    expect([...new Set((await gateway.lookups(null)).map(({ mac }) => mac))]).toEqual([MACS.A])
    const page = await gateway.page(MACS.A, 'minigame.example')
    for (const words of [
      'minigame.example</b> is blocked for you',
      'Binding hours: 24/7',
      'Ask Marta &lt;b&gt;first',
    ])
      expect(page).toContain(words)
    expect(await gateway.page(MACS.B, '<i>x')).toContain('&lt;i&gt;x</b> is allowed for you now')
    expect(await gateway.set({ ...next, lookups: { ...next.lookups, kept: false } })).toBeNull()
    await plane.passes('A')
    expect(await gateway.lookups(null)).toEqual([])
    expect(await gateway.set(settings)).toBeNull()
  })

  test('what is asked of both in the same words is refused in the same words', async () => {
    const { gateway } = plane
    expect(await gateway.check({ document: { kairostat: 1 }, digest: '' })).toEqual(
      await gateway.enforce({ document: { kairostat: 1 }, digest: '' }),
    )
    expect((await gateway.check({ document: policyOf({}), digest: '0'.repeat(64) }))![0]).toMatchObject({
      path: 'digest',
    })
    await expect(gateway.lookups('yesterday')).rejects.toThrow('"yesterday" is not an instant')
    expect(await gateway.decision(MACS.A, instantText(now()))).toMatchObject({ state: 'filtered' })
  })
})
