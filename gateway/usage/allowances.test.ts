import fc from 'fast-check'
import { expect, test } from 'vitest'
import { mayBeBlocked } from '../../core/allowance/outlook.ts'
import { periodAt } from '../../core/allowance/period.ts'
import { compiledOf, subjectOfMac } from '../../core/decision/compile.ts'
import { standingsAt } from '../../core/decision/moment.ts'
import { isBlocked } from '../../core/decision/standing.ts'
import { covers } from '../../core/time/ranges.ts'
import type { Policy, Spent } from '../../core/policy/types.ts'
import { instantText } from '../../core/time/instant.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { insideSchedule, instantOf, wallClock } from '../../tests/support/oracle.ts'
import { AllowanceMeter } from './allowances.ts'
import { NOTHING } from '../../protocol/gateway/evidence.ts'
import { UseReader, type Use } from './use-reader.ts'

// Two devices and an unknown one.
const MACS = ['02:5e:10:00:00:01', '02:5e:10:00:00:02', '02:5e:10:00:00:7e'] as const
const SCHEDULE = { id: 's', name: 'S', week: 'Mo-Su 00:30-02:30,04:00-06:00', exceptions: [], note: '' }
/** Clock changes, and none. */
const STARTS = [
  ['Europe/Lisbon', '2026-10-24T23:10:00Z'],
  ['Europe/Lisbon', '2027-03-27T23:10:00Z'],
  ['Australia/Lord_Howe', '2026-10-03T14:00:00Z'],
  ['America/St_Johns', '2026-11-01T03:40:00Z'],
  ['Asia/Kathmandu', '2026-11-22T15:00:00Z'],
] as const
const MINUTES = 900

interface Script {
  readonly zone: string
  readonly start: number
  readonly after: Record<string, unknown>
  readonly isScheduled: boolean
  /** The active devices, with first minute and length. */
  readonly uses: readonly { readonly who: number; readonly from: number; readonly length: number }[]
  readonly changes: readonly { readonly at: number; readonly kind: string; readonly size: number }[]
  readonly restarts: readonly number[]
}
const minute = fc.integer({ min: 0, max: MINUTES - 1 })
const after = fc
  .record({
    measure: fc.constantFrom('minutes', 'megabytes'),
    size: fc.integer({ min: 1, max: 90 }),
    per: fc.constantFrom('day', 'week'),
    from: fc.constantFrom('00:00', '01:30', '02:15', '04:00'),
    shared: fc.boolean(),
  })
  .map(({ measure, size, ...rest }) => ({ [measure]: size, ...rest }))
const scripts: fc.Arbitrary<Script> = fc
  .record({
    place: fc.constantFrom(...STARTS),
    after,
    isScheduled: fc.boolean(),
    uses: fc.array(
      fc.record({ who: fc.nat({ max: 2 }), from: minute, length: fc.integer({ min: 1, max: 200 }) }),
      { maxLength: 8 },
    ),
    changes: fc.array(
      fc.record({
        at: minute,
        kind: fc.constantFrom('limit', 'limit', 'more', 'more', 'off and on', 'shared'),
        size: fc.integer({ min: 1, max: 90 }),
      }),
      { maxLength: 3 },
    ),
    restarts: fc.array(minute, { maxLength: 3 }),
  })
  .map(({ place, ...rest }) => ({ zone: place[0], start: Date.parse(place[1]) / 1000, ...rest }))

function policyWith(script: Script, after: unknown, overrides: unknown[]): Policy {
  return policyOf({
    kairostat: 1,
    place: { name: 'Test', timeZone: script.zone },
    devices: ['a', 'b'].map((id, index) => ({
      id,
      name: id,
      adapters: [{ mac: MACS[index], medium: 'wifi' }],
    })),
    schedules: [SCHEDULE],
    rules: [
      {
        id: 'r',
        name: 'R',
        effect: 'block',
        who: { everyone: true },
        what: { internet: true },
        when: script.isScheduled ? { schedules: ['s'] } : { always: true },
        ...(after === null ? { enabled: false } : { after }),
      },
    ],
    overrides,
  })
}

/** The label of the period of an instant: when it began, by trying the days before it. */
function periodOf(after: { per: string; from: string }, zone: string, at: number): number {
  for (let back = -1; ; back++) {
    const noon = at - back * 86_400
    const { date } = wallClock(noon, zone)
    if (after.per === 'week' && new Date(`${date}T00:00Z`).getUTCDay() !== 1) continue
    const start = instantOf(`${date}T${after.from}`, zone)
    if (start <= at) return start
  }
}

/** Plays a script, and calls `look` after each minute with what was found and what should be. */
function play(
  script: Script,
  look: (seen: {
    at: number
    spent: readonly Spent[]
    meter: AllowanceMeter
    policy: Policy
    isSpent: (who: number) => boolean
  }) => void,
): void {
  const { zone, start, uses, changes, restarts, isScheduled } = script
  let after = script.after as {
    minutes?: number
    megabytes?: number
    per: string
    from: string
    shared: boolean
  }
  let overrides: { from: number; size: number; document: unknown }[] = []
  let policy = policyWith(script, after, [])
  let meter = new AllowanceMeter()
  meter.setPolicy(policy, start)
  // The usage in each period: minutes by their start, or megabytes.
  let used = new Map<string, { minutes: Set<number>; megabytes: number }>()
  const ownerOf = (who: number) => (after.shared ? 'all' : String(who))
  for (let index = 0; index < MINUTES; index++) {
    const at = start + index * 60
    const active = [0, 1, 2].filter((who) =>
      uses.some((use) => use.who === who && use.from <= index && index < use.from + use.length),
    )
    for (const who of active) {
      if (isScheduled && !insideSchedule(SCHEDULE, zone, at)) continue
      const key = `${ownerOf(who)} ${periodOf(after, zone, at)}`
      const one = used.get(key) ?? { minutes: new Set(), megabytes: 0 }
      one.minutes.add(at)
      one.megabytes += 1
      used.set(key, one)
    }
    meter.take(
      active.map((who): Use => {
        const half = { packets: 500, bytes: 500_000 }
        const nothing = { packets: 0, bytes: 0 }
        return { mac: MACS[who]!, sent: half, received: half, dropped: nothing, activeMinutes: [at] }
      }),
      at + 20,
      (mac) => subjectOfMac(compiledOf(policy), mac),
    )
    // A used-up allowance changes at the end of the minute.
    const end = at + 60
    for (const { kind, size } of changes.filter((change) => change.at === index)) {
      const measure = 'minutes' in after ? 'minutes' : 'megabytes'
      if (kind === 'limit') after = { ...after, [measure]: size }
      if (kind === 'more') {
        const document = {
          id: `o${overrides.length}`,
          effect: 'allow',
          who: { everyone: true },
          more: { [measure]: size },
          from: instantText(end),
          until: null,
        }
        overrides = [...overrides, { from: end, size, document }]
      }
      if (kind === 'off and on') meter.setPolicy(policyWith(script, null, []), end)
      if (kind === 'shared') after = { ...after, shared: !after.shared }
      if (kind === 'off and on' || kind === 'shared') used = new Map()
      policy = policyWith(
        script,
        after,
        overrides.map(({ document }) => document),
      )
      meter.setPolicy(policy, end)
    }
    if (restarts.includes(index)) {
      const state = JSON.parse(JSON.stringify(meter.state())) as ReturnType<AllowanceMeter['state']>
      meter = new AllowanceMeter()
      meter.restore(state, end)
      meter.setPolicy(policy, end)
    }
    meter.settle(end)
    const isSpent = (who: number) => {
      const period = periodOf(after, zone, end)
      const one = used.get(`${ownerOf(who)} ${period}`)
      const more = overrides.filter(({ from }) => from >= period).reduce((sum, { size }) => sum + size, 0)
      const amount = 'minutes' in after ? (one?.minutes.size ?? 0) : (one?.megabytes ?? 0)
      return amount >= (after.minutes ?? after.megabytes)! + more
    }
    look({ at: end, spent: meter.spent(-Infinity), meter, policy, isSpent })
  }
}

const isSpentAt = (spent: readonly Spent[], device: string | null, mac: string | null, at: number) =>
  spent.some(
    (one) =>
      one.device === device &&
      one.mac === mac &&
      Date.parse(one.from) <= at * 1000 &&
      at * 1000 < Date.parse(one.until),
  )

test('an allowance is used up exactly while a count of each minute says so, whatever changes or restarts', () => {
  let found = 0
  fc.assert(
    fc.property(scripts, (script) => {
      play(script, ({ at, spent, policy, isSpent }) => {
        const isShared = policy.rules[0]!.after!.shared
        const seen = [0, 1, 2].map((who) => {
          if (isShared) return isSpentAt(spent, null, null, at)
          return who < 2 ? isSpentAt(spent, ['a', 'b'][who]!, null, at) : isSpentAt(spent, null, MACS[2], at)
        })
        found += seen.filter(Boolean).length
        expect([instantText(at), ...seen]).toEqual([instantText(at), ...[0, 1, 2].map(isSpent)])
      })
    }),
    { numRuns: 25 },
  )
  expect(found).toBeGreaterThan(200)
})

test('who is blocked later is so surely, or as it was said that they may be', () => {
  let may = 0
  fc.assert(
    fc.property(scripts, minute, (script, asked) => {
      let said: { ranges: ReturnType<typeof mayBeBlocked>; policy: Policy; at: number } | null = null
      const subjects = MACS.map((mac) => subjectOfMac(compiledOf(policyWith(script, script.after, [])), mac))
      play({ ...script, changes: [] }, ({ at, spent, meter, policy }) => {
        if (at === script.start + (asked + 1) * 60) {
          const known = { at, uses: meter.uses(at) }
          const now = { ...policy, spent }
          said = {
            at,
            policy: now,
            ranges: mayBeBlocked(now, subjects, known, at, script.start + 60 * MINUTES + 60),
          }
        }
        if (!said) return
        const { ranges, policy: then } = said
        const sure = standingsAt(compiledOf(then), subjects, at)
        const is = standingsAt(compiledOf({ ...policy, spent }), subjects, at)
        is.forEach(({ state }, who) => {
          const mayBe = covers(ranges[who]!, at)
          may += Number(mayBe && isBlocked(state))
          if (!mayBe) expect([instantText(at), who, state]).toEqual([instantText(at), who, sure[who]!.state])
        })
      })
    }),
    { numRuns: 25 },
  )
  expect(may).toBeGreaterThan(200)
})

test.each([
  ['day', '04:00', '2026-11-27T03:59:59Z', '2026-11-26T04:00:00Z', '2026-11-27T04:00:00Z'],
  ['day', '04:00', '2026-11-27T04:00:00Z', '2026-11-27T04:00:00Z', '2026-11-28T04:00:00Z'],
  // Friday; weeks begin on Monday.
  ['week', '04:00', '2026-11-27T12:00:00Z', '2026-11-23T04:00:00Z', '2026-11-30T04:00:00Z'],
  ['week', '04:00', '2026-11-30T03:00:00Z', '2026-11-23T04:00:00Z', '2026-11-30T04:00:00Z'],
  // The day with 25 hours, from a time that comes twice; the one with 23, from a time that does not come.
  ['day', '01:30', '2026-10-25T01:15:00Z', '2026-10-25T00:30:00Z', '2026-10-26T01:30:00Z'],
  ['day', '01:30', '2027-03-28T01:20:00Z', '2027-03-27T01:30:00Z', '2027-03-28T01:30:00Z'],
])('a %s from %s at %s begins at %s and ends at %s', (per, from, at, begins, ends) => {
  const period = periodAt({ per: per as 'day', from }, 'Europe/Lisbon', Date.parse(at) / 1000)
  expect([instantText(period.from), instantText(period.until)]).toEqual([begins, ends])
})

test('what could not be read of the use is taken for used up, until the period ends or more is granted', () => {
  const at = Date.parse('2026-11-27T12:00:00Z') / 1000
  const script = { zone: 'Europe/Lisbon', isScheduled: false } as Script
  const after = { minutes: 60, per: 'day', from: '04:00', shared: false }
  const meter = new AllowanceMeter()
  meter.restore(null, at)
  meter.setPolicy(policyWith(script, after, []), at)
  const until = '2026-11-28T04:00:00Z'
  expect(meter.spent(at)).toEqual(
    ['a', 'b'].map((device) => ({ rule: 'r', device, mac: null, from: instantText(at), until })),
  )
  const more = { effect: 'allow', who: { devices: ['a'] }, more: { minutes: 20 }, until: null }
  meter.setPolicy(policyWith(script, after, [{ ...more, id: 'o', from: instantText(at + 60) }]), at + 60)
  expect(meter.spent(at + 60).map(({ device }) => device)).toEqual(['b'])
  meter.settle(at + 86_400)
  expect(meter.spent(at + 86_400)).toEqual([])
})

test('addresses that are made up take no allowance from a device of the policy', () => {
  const at = Date.parse('2026-11-27T12:00:00Z') / 1000
  const after = { megabytes: 1, per: 'day', from: '04:00', shared: false }
  const policy = policyWith({ zone: 'Europe/Lisbon', isScheduled: false } as Script, after, [])
  const meter = new AllowanceMeter()
  meter.setPolicy(policy, at)
  const use = (mac: string): Use => {
    const size = { packets: 1, bytes: 1_000_000 }
    return { mac, sent: size, received: size, dropped: size, activeMinutes: [at] }
  }
  const subjectOf = (mac: string) => subjectOfMac(compiledOf(policy), mac)
  const madeUp = Array.from(
    { length: 30_000 },
    (_, index) =>
      `02:00:00:00:${(index >> 8).toString(16).padStart(2, '0')}:${(index & 255).toString(16).padStart(2, '0')}`,
  )
  meter.take(madeUp.map(use), at, subjectOf)
  meter.take([use(MACS[0])], at, subjectOf)
  const spent = meter.spent(at)
  // Those of all others are not told apart, and count as used up.
  expect([spent.length, spent.at(-1)!.device, meter.isFull]).toEqual([257, 'a', true])
  meter.settle(at + 86_400)
  expect(meter.isFull).toBe(false)
})

test.each([3600, 86_400, 9 * 86_400])(
  'a clock that goes %i seconds forward and back forgets nothing that was used, and keeps nobody blocked to whom more was granted',
  (ahead) => {
    const at = Date.parse('2026-11-27T12:00:00Z') / 1000
    const script = { zone: 'Europe/Lisbon', isScheduled: false } as Script
    const after = { minutes: 3, per: 'day', from: '04:00', shared: false }
    const policy = policyWith(script, after, [])
    const meter = new AllowanceMeter()
    meter.setPolicy(policy, at)
    const use = (minute: number): Use => {
      const size = { packets: 1, bytes: 1_000_000 }
      return { mac: MACS[0], sent: size, received: size, dropped: size, activeMinutes: [minute] }
    }
    const take = (minute: number) =>
      meter.take([use(minute)], minute + 20, (mac) => subjectOfMac(compiledOf(policy), mac))
    for (let index = 0; index < 2; index++) take(at + index * 60)
    take(at + ahead + 120)
    meter.settle(at + ahead + 200)
    // Back: two minutes were used today, or three where it was today then, too.
    meter.settle(at + 180)
    const [{ used } = { used: 0 }] = meter.uses(at + 180)
    expect(used).toBe(ahead === 3600 ? 3 : 2)
    take(at + 240)
    meter.settle(at + 300)
    const isSpent = () => isSpentAt(meter.spent(-Infinity), 'a', null, at + 400)
    expect(isSpent()).toBe(true)
    const more = { effect: 'allow', who: { devices: ['a'] }, more: { minutes: 20 }, until: null }
    meter.setPolicy(policyWith(script, after, [{ ...more, id: 'o', from: instantText(at + 300) }]), at + 330)
    expect(isSpent()).toBe(false)
    // The day that was ahead begins with all of it.
    meter.settle(at + ahead + 86_400)
    expect(isSpentAt(meter.spent(-Infinity), 'a', null, at + ahead + 86_400)).toBe(false)
  },
)

test('minutes in which nothing could be read are as many as the counters say, by a clock that nobody sets', () => {
  const reader = new UseReader()
  const count = (bytes: number) => {
    const size = { packets: bytes / 1000, bytes }
    return [{ mac: MACS[0], seen: size, passed: size, received: size, dropped: NOTHING, lastDrop: null }]
  }
  const at = Date.parse('2026-11-27T12:00:30Z') / 1000
  const minutesOf = (uses: readonly Use[]) =>
    uses.flatMap(({ activeMinutes }) => activeMinutes.map((one) => (one - at + 30) / 60))
  expect(minutesOf(reader.read(count(30_000), at, 10, 0))).toEqual([0])
  // Ten minutes later by the kernel's counters: enough for four of them, and for more than all.
  expect(minutesOf(reader.read(count(30_000 + 40_000), at + 600, 10, 600_000))).toEqual([7, 8, 9, 10])
  expect(minutesOf(reader.read(count(30_000 + 40_000 + 9_000_000), at + 720, 10, 720_000))).toEqual([
    10, 11, 12,
  ])
  // A clock that was set forward makes no minutes.
  expect(minutesOf(reader.read(count(20_000_000), at + 7920, 10, 730_000))).toEqual([132])
})
