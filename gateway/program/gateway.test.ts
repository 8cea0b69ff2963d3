import { mkdtemp, readFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, test, vi } from 'vitest'
import { canonicalText, digestOf } from '../../core/policy/canonical.ts'
import { networkOf } from '../../core/decision/subject.ts'
import { compile, subjectOfMac } from '../../core/decision/compile.ts'
import { verdictAt } from '../../core/decision/moment.ts'
import { DAY, HOUR } from '../../core/time/duration.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { demoDocument } from '../../server/demo/policy.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { destination } from '../../tests/support/oracle.ts'
import { AlarmWatch } from './alarms.ts'
import { startGateway } from './gateway.ts'
import { startSimulatedGateway } from '../simulation/simulated-gateway.ts'
import { NOTHING } from '../../protocol/gateway/evidence.ts'
import { simulatedPlane } from '../planes/simulated/plane.ts'
import { trafficOf } from '../planes/simulated/traffic.ts'
import { WORKSHOP } from '../planes/simulated/workshop.ts'

const demo = policyOf(demoDocument('2026-11-28'))
const proposal = (policy = demo) => ({
  document: JSON.parse(canonicalText(policy)) as unknown,
  digest: digestOf(policy),
})

describe('a gateway', () => {
  test('takes a policy whole, keeps it on disk, and refuses without a trace', async () => {
    const folder = await mkdtemp(join(tmpdir(), 'kairostat-gateway-'))
    const begun = Math.floor(Date.now() / 1000)
    const gateway = await startSimulatedGateway(
      simulatedPlane(WORKSHOP, { timeZone: 'Europe/Lisbon', seed: 1 }),
      { folder },
    )
    expect((await gateway.status()).digest).toBeNull()
    expect(await gateway.check(proposal())).toBeNull()
    expect((await gateway.status()).digest).toBeNull()
    expect(await gateway.enforce(proposal())).toBeNull()
    for (const bad of [
      { ...proposal(), digest: '0'.repeat(64) },
      { document: { kairostat: 1 }, digest: '' },
      { document: null, digest: '' },
    ]) {
      expect(await gateway.enforce(bad)).not.toBeNull()
    }
    expect((await gateway.status()).digest).toBe(digestOf(demo))
    expect(await readFile(join(folder, 'policy.json'), 'utf8')).toBe(canonicalText(demo))
    const settings = {
      closedAddresses: true,
      page: { shown: true, words: 'Later.' },
      lookups: { kept: true, days: 3, exempt: ['hall-radio'] },
      usage: { kept: true, kilobytes: 5, exempt: ['hall-radio'] },
      localNames: [],
    }
    expect(await gateway.set(settings)).toBeNull()
    // The network goes on sending: neither what is over meanwhile nor what goes on is compared.
    const [oldest, latest] = [DAY * -3 + HOUR, -HOUR].map((away) => instantText(begun + away)) as [
      string,
      string,
    ]
    const settled = async (one: typeof gateway) =>
      (await one.lookups(null)).filter(({ first }) => oldest < first && first < latest)
    const before = await settled(gateway)
    await gateway.stop()
    // A new start finds policy, settings and look-ups; a plane that makes up a past of its own makes up the
    // same.
    const again = await startSimulatedGateway(simulatedPlane([], { timeZone: 'Europe/Lisbon', seed: 1 }), {
      folder,
    })
    expect([(await again.status()).digest, (await again.status()).settings, await settled(again)]).toEqual([
      digestOf(demo),
      settings,
      before,
    ])
    expect([before.length > 100, before.some(({ mac }) => mac.endsWith(':15'))]).toEqual([true, false])
    await again.stop()
  })
})

test('a gateway takes overrides alone, beside the policy that it holds, and only those that make the digest', async () => {
  const folder = await mkdtemp(join(tmpdir(), 'kairostat-gateway-'))
  const gateway = await startSimulatedGateway(
    simulatedPlane(WORKSHOP, { timeZone: 'Europe/Lisbon', seed: 1 }),
    { folder },
  )
  const form = {
    id: 'late',
    effect: 'allow',
    who: { ...demo.rules[0]!.who, macs: [], networks: [], groups: [], devices: ['hall-radio'] },
    what: null,
    more: null,
    from: '2026-11-23T08:00:00Z',
    until: null,
    note: '',
  } as const
  const next = { ...demo, overrides: [form] }
  expect(await gateway.amend([form], digestOf(next))).toEqual([
    { path: '', message: expect.stringContaining('send the whole document') as unknown },
  ])
  await gateway.enforce(proposal())
  for (const [bad, digest] of [
    [[form], digestOf(demo)],
    [[{ ...form, who: { devices: ['nobody'] } }], digestOf(next)],
    [[form, form], digestOf(next)],
    ['none', digestOf(next)],
    [[{ ...form, id: demo.rules[0]!.id }], digestOf(next)],
  ] as const) {
    expect(await gateway.amend(bad, digest)).not.toBeNull()
  }
  expect((await gateway.status()).digest).toBe(digestOf(demo))
  expect(await gateway.amend([form], digestOf(next))).toBeNull()
  expect([(await gateway.status()).digest, await readFile(join(folder, 'policy.json'), 'utf8')]).toEqual([
    digestOf(next),
    canonicalText(next),
  ])
  expect(await gateway.amend([], digestOf(demo))).toBeNull()
  expect((await gateway.status()).digest).toBe(digestOf(demo))
  await gateway.stop()
})

describe('the simulated network', () => {
  test('has an adapter for every one of the demo’s policy, and newcomers besides', () => {
    const macs = WORKSHOP.map(({ mac }) => mac)
    expect(new Set(macs).size).toBe(macs.length)
    expect(
      demo.devices
        .flatMap(({ adapters }) => adapters.map(({ mac }) => mac))
        .filter((mac) => !macs.includes(mac)),
    ).toEqual([])
    expect(
      WORKSHOP.filter(
        ({ mac }) => !demo.devices.some(({ adapters }) => adapters.some((adapter) => adapter.mac === mac)),
      ).length,
    ).toBe(4)
    expect([
      WORKSHOP.filter(({ connected }) => !connected).length > 2,
      demo.groups.length,
      demo.schedules.length,
    ]).toEqual([true, 9, 6])
  })

  test('sends the same flows for the same seed, and only from what is connected', () => {
    const hour = (seed: number) => {
      const next = trafficOf(WORKSHOP, seed)
      return Array.from({ length: 3600 }, (_, second) => next(second)).flat()
    }
    expect(hour(7)).toEqual(hour(7))
    expect(hour(7)).not.toEqual(hour(8))
    const senders = new Set(hour(7).map(({ mac }) => mac))
    expect(senders).toEqual(new Set(WORKSHOP.filter(({ connected }) => connected).map(({ mac }) => mac)))
  })

  test('has machines that come and go, and tells of it', () => {
    vi.useFakeTimers({ now: readInstant('2026-11-25T12:00:00Z')! * 1000 })
    try {
      const plane = simulatedPlane(WORKSHOP, { timeZone: 'Europe/Lisbon', seed: 3 })
      const heard: string[] = []
      plane.start((change) => change === 'sightings' && heard.push(change))
      const courier = () => plane.sightings().find(({ hostName }) => hostName === 'parcel-phone')
      const { stays } = WORKSHOP.find(({ hostName }) => hostName === 'parcel-phone')!
      const [first, second] = stays!
      vi.advanceTimersByTime(first!.from * 1000 - 1000)
      expect([courier(), heard.length]).toEqual([undefined, 1])
      vi.advanceTimersByTime(2000)
      expect([courier(), heard.length]).toEqual([
        expect.objectContaining({ connected: true, firstSeen: '2026-11-25T12:00:40Z' }),
        2,
      ])
      vi.advanceTimersByTime((first!.until - first!.from) * 1000 + 5000)
      expect([courier(), heard.length]).toEqual([
        expect.objectContaining({ connected: false, lastSeen: '2026-11-25T12:04:40Z' }),
        3,
      ])
      vi.advanceTimersByTime((second!.from - first!.until) * 1000)
      expect(courier()).toMatchObject({ connected: true, firstSeen: '2026-11-25T12:00:40Z' })
      plane.stop()
    } finally {
      vi.useRealTimers()
    }
  })

  test('has a past that is the same after a new start, and devices that can be made to use an app', async () => {
    vi.useFakeTimers({ now: readInstant('2026-11-25T12:00:00Z')! * 1000 })
    try {
      const [one, other] = [
        simulatedPlane(WORKSHOP, { timeZone: 'Europe/Lisbon', seed: 3 }),
        simulatedPlane(WORKSHOP, { timeZone: 'Europe/Lisbon', seed: 3 }),
      ] as const
      for (const plane of [one, other]) await plane.apply(demo)
      const past = one.lookups.since(-Infinity)
      expect([
        past.length > 1000,
        past[0]!.first >= '2026-11-18T12:00:00Z',
        past.every(({ last }) => last < '2026-11-25T12:00:00Z'),
      ]).toEqual([true, true, true])
      expect(other.lookups.since(-Infinity)).toEqual(past)
      one.start(() => {})
      const [tablet, reader] = ['lena-tablet', 'lena-reader'].map(
        (name) => WORKSHOP.find(({ hostName }) => hostName === name)!.mac,
      ) as [string, string]
      expect([
        one.simulation!.useApp(tablet, 'Quillpost'),
        one.simulation!.useApp(reader, 'Quillpost'),
        one.simulation!.useApp(tablet, 'Nothing'),
      ]).toEqual([
        null,
        'lena-reader is not connected, so it can use nothing.',
        'This network has no app “Nothing”.',
      ])
      vi.advanceTimersByTime(60_000)
      const used = one.lookups
        .since(readInstant('2026-11-25T12:00:00Z')!)
        .filter(({ name }) => name.includes('quillpost') || name.startsWith('qp-'))
      expect(used.map(({ mac, name }) => [mac, name]).sort()).toEqual(
        [
          'media.quillpost.example',
          'qp-letters.example',
          'quillpost-stamps.example',
          'quillpost.example',
        ].map((name) => [tablet, name]),
      )
      one.stop()
    } finally {
      vi.useRealTimers()
    }
  })

  test('decides every flow by core/ at its own clock, and counts what passed and what it dropped', async () => {
    vi.useFakeTimers({ now: readInstant('2026-11-25T12:00:00Z')! * 1000 })
    try {
      const plane = simulatedPlane(WORKSHOP, { timeZone: 'Europe/Lisbon', seed: 3 })
      plane.start(() => {})
      await plane.apply(demo)
      plane.simulation!.setClock(readInstant('2026-11-25T22:30:00Z')! * 1000)
      vi.advanceTimersByTime(20_000)
      const { recent, devices, clauses, since } = await plane.evidence()
      expect(since).toBe('2026-11-25T12:00:00Z')
      expect(recent.length).toBeGreaterThan(50)
      const compiled = compile(demo)
      const networkFor = (mac: string) =>
        networkOf(
          demo.networks,
          WORKSHOP.find((device) => device.mac === mac)!,
        )
      for (const { mac, to, at, effect } of recent)
        expect(
          verdictAt(compiled, subjectOfMac(compiled, mac, networkFor(mac)), readInstant(at)!, destination(to))
            .effect,
        ).toBe(effect)
      for (const { mac, passed, dropped } of devices) {
        const flows = recent.filter((flow) => flow.mac === mac)
        expect([passed.packets > 0, dropped.packets]).toEqual([
          flows.some(({ effect }) => effect === 'allow'),
          2 * flows.filter(({ effect }) => effect === 'block').length,
        ])
      }
      for (const { id, dropped, lastDrop } of clauses)
        expect([id, dropped.packets, lastDrop]).toEqual([
          id,
          2 * recent.filter(({ effect, because }) => effect === 'block' && because === id).length,
          recent.find(({ effect, because }) => effect === 'block' && because === id) ?? null,
        ])
      const lookups = plane.lookups.since(readInstant('2026-11-25T22:30:00Z')!)
      for (const { mac, name, effect, tries } of lookups)
        expect([
          mac,
          name,
          recent.filter(
            (flow) => flow.mac === mac && flow.effect === effect && destination(flow.to).host === name,
          ).length,
        ]).toEqual([mac, name, tries])
      expect(devices.find(({ mac }) => mac.endsWith(':02'))).toMatchObject({ passed: NOTHING })
      expect(devices.find(({ mac }) => mac.endsWith(':17'))).toMatchObject({ dropped: NOTHING })
      plane.stop()
    } finally {
      vi.useRealTimers()
    }
  })
})

describe('what is expected, held against what was counted', () => {
  const policy = policyOf({
    kairostat: 1,
    place: { name: 'Bindery', timeZone: 'Europe/Lisbon' },
    devices: [
      { id: 'a', name: 'A', adapters: [{ mac: '02:5e:00:00:00:0a', medium: 'wifi' }] },
      { id: 'b', name: 'B', adapters: [{ mac: '02:5e:00:00:00:0b', medium: 'wifi' }] },
    ],
    overrides: [
      {
        id: 'off',
        effect: 'block',
        who: { devices: ['a'] },
        from: '2026-11-25T12:00:00Z',
        until: '2026-11-25T13:00:00Z',
      },
    ],
    rules: [
      {
        id: 'sites',
        name: 'Sites',
        effect: 'block',
        who: { devices: ['b'] },
        what: { sites: ['clipriver.example'] },
        when: { always: true },
      },
    ],
  })
  const noon = readInstant('2026-11-25T12:00:00Z')!
  const compiled = compile(policy)
  const subjectOf = (mac: string) => subjectOfMac(compiled, mac)
  const [a, b] = ['02:5e:00:00:00:0a', '02:5e:00:00:00:0b']
  const count = (packets: number) => ({ packets, bytes: packets * 60 })
  const evidence = (mac: string, passed: number, dropped: number, drops: number) => ({
    since: null,
    recent: [],
    devices: [
      {
        mac,
        seen: count(passed + dropped),
        passed: count(passed),
        received: NOTHING,
        dropped: count(dropped),
        lastDrop: null,
      },
    ],
    clauses: [{ id: 'off', passed: NOTHING, dropped: count(drops), logged: NOTHING, lastDrop: null }],
  })
  // Each look: when after noon, packets passed, dropped, dropped by the override, and whether it looked
  // something up.
  type Look = readonly [after: number, passed: number, dropped: number, drops: number, asked?: boolean]
  test.each<[what: string, mac: string, looks: readonly Look[], told: string[]]>([
    [
      'all is dropped',
      a,
      [
        [60, 0, 0, 0],
        [65, 0, 50, 50],
      ],
      [],
    ],
    [
      'some get through',
      a,
      [
        [60, 0, 0, 0],
        [65, 5, 50, 50],
      ],
      ['passes a off 5'],
    ],
    [
      'a few that were counted between two readings',
      a,
      [
        [60, 0, 0, 0],
        [65, 4, 50, 50],
        [70, 1, 90, 90],
        [75, 5, 300, 300],
      ],
      [],
    ],
    [
      'a few, again and again',
      a,
      [
        [60, 0, 0, 0],
        [65, 2, 10, 10],
        [70, 4, 20, 20],
        [75, 6, 30, 30],
      ],
      ['passes a off 6'],
    ],
    [
      'what passed before the override began is none of it',
      a,
      [
        [-60, 0, 0, 0],
        [-55, 30, 0, 0],
        [3600, 30, 0, 0],
      ],
      [],
    ],
    [
      'a boundary too near says nothing',
      a,
      [
        [-1, 0, 0, 0],
        [4, 30, 0, 0],
        [3598, 30, 0, 0],
        [3603, 60, 0, 0],
      ],
      [],
    ],
    [
      'looks too far apart say nothing',
      a,
      [
        [60, 0, 0, 0],
        [300, 30, 0, 0],
      ],
      [],
    ],
    [
      'packets that no rule dropped, and that did not pass',
      a,
      [
        [60, 0, 0, 0],
        [65, 0, 19, 0],
      ],
      [],
    ],
    [
      'so many of them that it is strange',
      a,
      [
        [60, 0, 0, 0],
        [65, 0, 19, 0],
        [70, 0, 20, 0],
      ],
      ['never-dropped off 20'],
    ],
    [
      'names are closed, and it looks some up',
      b,
      [
        [60, 0, 0, 0, true],
        [65, 900, 0, 0, true],
      ],
      [],
    ],
    [
      'names are closed, and it looks none up',
      b,
      [
        [60, 0, 0, 0],
        [65, 499, 0, 0],
        [70, 500, 0, 0],
      ],
      ['unasked b sites 500'],
    ],
    [
      'counters that began anew say nothing',
      a,
      [
        [60, 40, 0, 0],
        [65, 0, 0, 0],
        [70, 0, 3, 3],
      ],
      [],
    ],
  ])('%s', (_, mac, looks, told) => {
    const watch = new AlarmWatch()
    for (const [after, passed, dropped, drops, asked] of looks)
      watch.look(
        evidence(mac, passed, dropped, drops),
        compiled,
        subjectOf,
        noon - 3600,
        noon + after,
        new Set(asked ? [mac] : []),
      )
    const at = noon + looks.at(-1)![0]
    expect(
      watch
        .alarms(at)
        .map(({ kind, mac, because, about }) =>
          [kind, mac === null ? '' : { [a]: 'a', [b]: 'b' }[mac], because, about].filter(Boolean).join(' '),
        ),
    ).toEqual(told)
    expect(watch.alarms(at + 601)).toEqual([])
  })

  test('a policy that has just come into force is not held against what was counted before it', () => {
    const watch = new AlarmWatch()
    watch.look(evidence(a, 0, 0, 0), compiled, subjectOf, noon + 62, noon + 60, new Set())
    watch.look(evidence(a, 40, 0, 0), compiled, subjectOf, noon + 62, noon + 65, new Set())
    expect(watch.alarms(noon + 65)).toEqual([])
  })

  test('a simulated network can be made to go wrong, and tells of it; a real one cannot', async () => {
    vi.useFakeTimers({ now: readInstant('2026-11-25T22:30:00Z')! * 1000 })
    try {
      const gateway = await startSimulatedGateway(
        simulatedPlane(WORKSHOP, { timeZone: 'Europe/Lisbon', seed: 3 }),
        { folder: null },
      )
      await gateway.enforce(proposal())
      await vi.advanceTimersByTimeAsync(30_000)
      expect((await gateway.status()).alarms).toEqual([])
      await (await gateway.simulation()).pretend('upstream')
      await (await gateway.simulation()).pretend('passes')
      await vi.advanceTimersByTimeAsync(30_000)
      const { alarms } = await gateway.status()
      expect(alarms.at(-1)).toEqual({
        kind: 'upstream',
        about: '203.0.113.53',
        since: '2026-11-25T22:30:30Z',
        mac: null,
        because: null,
      })
      expect(alarms.filter(({ kind }) => kind !== 'upstream').map(({ kind }) => kind)).toEqual(['passes'])
      await vi.advanceTimersByTimeAsync(700_000)
      expect((await gateway.status()).alarms).toEqual([])
      await gateway.stop()
      const real = await startGateway(simulatedPlane(WORKSHOP, { timeZone: 'Europe/Lisbon', seed: 3 }), {
        folder: null,
      })
      await expect(real.simulation()).rejects.toThrow('Only a simulated network')
      await real.stop()
    } finally {
      vi.useRealTimers()
    }
  })
})
