import { mkdtemp, readFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { describe, expect, test, vi } from 'vitest'
import { canonicalText, digestOf } from '../core/policy/canonical.ts'
import { compile, subjectOfMac } from '../core/decision/compile.ts'
import { verdictAt } from '../core/decision/moment.ts'
import { readInstant } from '../core/time/instant.ts'
import { demoDocument } from '../server/demo/policy.ts'
import { policyOf } from '../tests/support/arbitraries.ts'
import { destination } from '../tests/support/oracle.ts'
import { startGateway } from './gateway.ts'
import { simulatedPlane } from './simulated/plane.ts'
import { trafficOf } from './simulated/traffic.ts'
import { WORKSHOP } from './simulated/workshop.ts'

const demo = policyOf(demoDocument('2026-11-28'))
const proposal = (policy = demo) => ({ document: JSON.parse(canonicalText(policy)) as unknown, digest: digestOf(policy) })

describe('a gateway', () => {
  test('takes a policy whole, keeps it on disk, and refuses without a trace', async () => {
    const file = join(await mkdtemp(join(tmpdir(), 'kairostat-gateway-')), 'held.json')
    const gateway = await startGateway(simulatedPlane(WORKSHOP, 'Europe/Lisbon', 1), file)
    expect((await gateway.status()).digest).toBeNull()
    expect(await gateway.check(proposal())).toBeNull()
    expect((await gateway.status()).digest).toBeNull()
    expect(await gateway.enforce(proposal())).toBeNull()
    for (const bad of [{ ...proposal(), digest: '0'.repeat(64) }, { document: { kairostat: 1 }, digest: '' }, { document: null, digest: '' }]) {
      expect(await gateway.enforce(bad)).not.toBeNull()
    }
    expect((await gateway.status()).digest).toBe(digestOf(demo))
    expect(await readFile(file, 'utf8')).toBe(canonicalText(demo))
    gateway.stop()
  })
})

test('a gateway takes overrides alone, beside the policy that it holds, and only those that make the digest', async () => {
  const file = join(await mkdtemp(join(tmpdir(), 'kairostat-gateway-')), 'held.json')
  const gateway = await startGateway(simulatedPlane(WORKSHOP, 'Europe/Lisbon', 1), file)
  const form = { id: 'late', effect: 'allow', who: { ...demo.rules[0]!.who, groups: [], devices: ['hall-radio'] }, from: '2026-11-23T08:00:00Z', until: null, note: '' } as const
  const next = { ...demo, overrides: [form] }
  expect(await gateway.amend([form], digestOf(next))).toEqual([{ path: '', message: expect.stringContaining('send the whole document') as unknown }])
  await gateway.enforce(proposal())
  for (const [bad, digest] of [[[form], digestOf(demo)], [[{ ...form, who: { devices: ['nobody'] } }], digestOf(next)], [[form, form], digestOf(next)], ['none', digestOf(next)], [[{ ...form, id: demo.rules[0]!.id }], digestOf(next)]] as const) {
    expect(await gateway.amend(bad, digest)).not.toBeNull()
  }
  expect((await gateway.status()).digest).toBe(digestOf(demo))
  expect(await gateway.amend([form], digestOf(next))).toBeNull()
  expect([(await gateway.status()).digest, await readFile(file, 'utf8')]).toEqual([digestOf(next), canonicalText(next)])
  expect(await gateway.amend([], digestOf(demo))).toBeNull()
  expect((await gateway.status()).digest).toBe(digestOf(demo))
  gateway.stop()
})

describe('the simulated network', () => {
  test('has an adapter for every one of the demo’s policy, and newcomers besides', () => {
    const macs = WORKSHOP.map(({ mac }) => mac)
    expect(new Set(macs).size).toBe(macs.length)
    expect(demo.devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac)).filter(mac => !macs.includes(mac))).toEqual([])
    expect(WORKSHOP.filter(({ mac }) => !demo.devices.some(({ adapters }) => adapters.some(adapter => adapter.mac === mac))).length).toBe(4)
    expect([WORKSHOP.filter(({ connected }) => !connected).length > 2, demo.groups.length, demo.schedules.length]).toEqual([true, 5, 6])
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
      const plane = simulatedPlane(WORKSHOP, 'Europe/Lisbon', 3)
      const heard: string[] = []
      plane.start(change => change === 'sightings' && heard.push(change))
      const courier = () => plane.sightings().find(({ hostName }) => hostName === 'parcel-phone')
      const { stays } = WORKSHOP.find(({ hostName }) => hostName === 'parcel-phone')!
      const [first, second] = stays!
      vi.advanceTimersByTime(first!.from * 1000 - 1000)
      expect([courier(), heard.length]).toEqual([undefined, 1])
      vi.advanceTimersByTime(2000)
      expect([courier(), heard.length]).toEqual([expect.objectContaining({ connected: true, firstSeen: '2026-11-25T12:00:40Z' }), 2])
      vi.advanceTimersByTime((first!.until - first!.from) * 1000 + 5000)
      expect([courier(), heard.length]).toEqual([expect.objectContaining({ connected: false, lastSeen: '2026-11-25T12:04:40Z' }), 3])
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
      const [one, other] = [simulatedPlane(WORKSHOP, 'Europe/Lisbon', 3), simulatedPlane(WORKSHOP, 'Europe/Lisbon', 3)] as const
      for (const plane of [one, other]) await plane.apply(demo)
      const past = one.lookups(-Infinity)
      expect([past.length > 1000, past[0]!.first >= '2026-11-18T12:00:00Z', past.every(({ last }) => last < '2026-11-25T12:00:00Z')]).toEqual([true, true, true])
      expect(other.lookups(-Infinity)).toEqual(past)
      one.start(() => {})
      const [tablet, reader] = ['lena-tablet', 'lena-reader'].map(name => WORKSHOP.find(({ hostName }) => hostName === name)!.mac) as [string, string]
      expect([one.useApp!(tablet, 'Quillpost'), one.useApp!(reader, 'Quillpost'), one.useApp!(tablet, 'Nothing')]).toEqual([null, 'lena-reader is not connected, so it can use nothing.', 'This network has no app “Nothing”.'])
      vi.advanceTimersByTime(60_000)
      const used = one.lookups(readInstant('2026-11-25T12:00:00Z')!).filter(({ name }) => name.includes('quillpost') || name.startsWith('qp-'))
      expect(used.map(({ mac, name }) => [mac, name]).sort()).toEqual(['media.quillpost.example', 'qp-letters.example', 'quillpost-stamps.example', 'quillpost.example'].map(name => [tablet, name]))
      one.stop()
    } finally {
      vi.useRealTimers()
    }
  })

  test('decides every flow by core/ at its own clock, and counts what passed and what it dropped', async () => {
    vi.useFakeTimers({ now: readInstant('2026-11-25T12:00:00Z')! * 1000 })
    try {
      const plane = simulatedPlane(WORKSHOP, 'Europe/Lisbon', 3)
      plane.start(() => {})
      await plane.apply(demo)
      plane.setClock!(readInstant('2026-11-25T22:30:00Z')! * 1000)
      vi.advanceTimersByTime(20_000)
      const { recent, devices, since } = await plane.evidence()
      expect(since).toBe('2026-11-25T12:00:00Z')
      expect(recent.length).toBeGreaterThan(50)
      const compiled = compile(demo)
      for (const { mac, to, at, effect } of recent) expect(verdictAt(compiled, subjectOfMac(compiled, mac), readInstant(at)!, destination(to)).effect).toBe(effect)
      for (const { mac, passed, dropped } of devices) {
        const flows = recent.filter(flow => flow.mac === mac)
        expect([passed, dropped]).toEqual([flows.filter(({ effect }) => effect === 'allow').length, flows.filter(({ effect }) => effect === 'block').length])
      }
      const lookups = plane.lookups(readInstant('2026-11-25T22:30:00Z')!)
      for (const { mac, name, effect, tries } of lookups) expect([mac, name, recent.filter(flow => flow.mac === mac && flow.effect === effect && destination(flow.to).host === name).length]).toEqual([mac, name, tries])
      expect(devices.find(({ mac }) => mac.endsWith(':02'))).toMatchObject({ passed: 0 })
      expect(devices.find(({ mac }) => mac.endsWith(':17'))).toMatchObject({ dropped: 0 })
      plane.stop()
    } finally {
      vi.useRealTimers()
    }
  })
})
