import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { instants, policies, policyOf } from '../../tests/support/arbitraries.ts'
import { compile, everyDevice } from '../decision/compile.ts'
import { isBlocked } from '../decision/standing.ts'
import { timelines } from '../decision/timeline.ts'
import { readInstant } from '../time/instant.ts'
import { effectWords } from '../words/change.ts'
import { entriesBetween } from './entries.ts'
import { accessDifference, deviceChanges, turnsWithin } from './hours.ts'

const rule = (id: string, more: object = {}) => ({
  id,
  name: id,
  effect: 'block',
  who: { everyone: true },
  what: { internet: true },
  when: { schedules: ['nights'] },
  ...more,
})
const policy = (more: object = {}) =>
  policyOf({
    kairostat: 1,
    place: { name: 'B', timeZone: 'Europe/Lisbon' },
    devices: [{ id: 'till', name: 'Till', adapters: [{ mac: '02:5e:10:00:00:01', medium: 'wifi' }] }],
    schedules: [{ id: 'nights', name: 'Nights', week: '22:00-07:00' }],
    rules: [rule('a'), rule('b')],
    ...more,
  })
const MONDAY = readInstant('2026-11-23T00:00:00Z')!
const WEEK = 7 * 86400

describe('entries', () => {
  test.each<[string, object, unknown[]]>([
    ['nothing', {}, []],
    [
      'a name',
      { place: { name: 'C', timeZone: 'Europe/Lisbon' } },
      [{ kind: 'place', id: '', name: 'C', change: 'changed', fields: ['name'] }],
    ],
    [
      'a new device and one gone',
      { devices: [{ id: 'kiosk', name: 'Kiosk' }] },
      [
        { kind: 'device', id: 'kiosk', name: 'Kiosk', change: 'added', fields: [] },
        { kind: 'device', id: 'till', name: 'Till', change: 'removed', fields: [] },
      ],
    ],
    [
      'hours',
      { schedules: [{ id: 'nights', name: 'Nights', week: '21:00-07:00' }] },
      [{ kind: 'schedule', id: 'nights', name: 'Nights', change: 'changed', fields: ['week'] }],
    ],
    [
      'the order',
      { rules: [rule('b'), rule('a')] },
      [{ kind: 'order', id: '', name: '', change: 'changed', fields: [] }],
    ],
    [
      'a rule between, which is no new order',
      { rules: [rule('a'), rule('c'), rule('b')] },
      [{ kind: 'rule', id: 'c', name: 'c', change: 'added', fields: [] }],
    ],
  ])('%s', (_, more, entries) => {
    expect(entriesBetween(policy(), policy(more))).toEqual(entries)
  })

  test('there are none exactly between equal policies', () => {
    fc.assert(
      fc.property(policies, policies, (a, b) => {
        expect(entriesBetween(a, a)).toEqual([])
        expect(entriesBetween(a, { ...b, overrides: a.overrides }).length === 0).toBe(
          JSON.stringify({ ...b, overrides: [] }) === JSON.stringify({ ...a, overrides: [] }),
        )
      }),
      { numRuns: 200 },
    )
  })
})

describe('device-hours', () => {
  test('a night that begins an hour later opens an hour a day', () => {
    const later = policy({ schedules: [{ id: 'nights', name: 'Nights', week: '23:00-07:00' }] })
    expect(
      deviceChanges(policy(), later, MONDAY, MONDAY + WEEK).map(({ device, opened, closed }) => ({
        device,
        opened,
        closed,
      })),
    ).toEqual([{ device: 'till', opened: 7 * 3600, closed: 0 }])
  })

  test('who loses or gains access soon is told with the instant', () => {
    const noon = policy({ schedules: [{ id: 'nights', name: 'Nights', week: '12:00-23:00' }] })
    const at = (time: string) => readInstant(`2026-11-23T${time}:00Z`)!
    const turns = (before: object, after: object, from: string, until: string) =>
      turnsWithin(
        deviceChanges(before as never, after as never, at(from), MONDAY + WEEK),
        at(from),
        at(until),
      )
    expect(turns(policy(), noon, '11:30', '12:30')).toEqual([
      { device: 'till', at: at('12:00'), gains: false },
    ])
    expect(turns(policy(), noon, '06:30', '07:30')).toEqual([
      { device: 'till', at: at('06:30'), gains: true },
    ])
    expect([turns(policy(), noon, '11:00', '12:00'), turns(policy(), policy(), '00:00', '23:00')]).toEqual([
      [],
      [],
    ])
  })

  test('a device that is new stands as the newcomer that it was', () => {
    const without = policy({ devices: [], rules: [rule('a', { who: { newcomers: true } })] })
    const named = policy({ rules: [rule('a', { who: { newcomers: true } })] })
    expect(
      deviceChanges(without, named, MONDAY, MONDAY + WEEK).map(({ opened, closed }) => [opened, closed]),
    ).toEqual([[63 * 3600, 0]])
  })

  test('a policy changes nothing against itself, nor does one whose rules have other names', () => {
    fc.assert(
      fc.property(policies, instants, (one, from) => {
        const renamed = {
          ...one,
          rules: one.rules.map((entry) => ({ ...entry, id: `x${entry.id}` })),
          spent: one.spent.map((entry) => ({ ...entry, rule: `x${entry.rule}` })),
        }
        expect([
          deviceChanges(one, one, from, from + WEEK),
          deviceChanges(one, renamed, from, from + WEEK),
        ]).toEqual([[], []])
      }),
      { numRuns: 40 },
    )
  })

  test('an unknown device that was seen changes with a rule for unknown ones, and one in a network with a rule for that', () => {
    const seen = [
      { mac: '02:aa:bb:00:00:01', interface: null, addresses: [] },
      { mac: '02:aa:bb:00:00:02', interface: 'br-guest', addresses: [] },
    ]
    const networks = [{ id: 'guest', name: 'Guests', interfaces: ['br-guest'] }]
    const changed = (who: object) =>
      deviceChanges(
        policy({ networks }),
        policy({ networks, rules: [rule('a'), rule('b'), rule('c', { who, when: { always: true } })] }),
        MONDAY,
        MONDAY + WEEK,
        seen,
      ).map(({ device, closed }) => `${device} ${closed / 3600}`)
    expect(changed({ newcomers: true })).toEqual(['02:aa:bb:00:00:01 105', '02:aa:bb:00:00:02 105'])
    expect(changed({ networks: ['guest'] })).toEqual(['02:aa:bb:00:00:02 105'])
  })

  test('from blocked to listed sites only is a change, and the other way round', () => {
    const listed = policy({
      rules: [rule('wiki', { effect: 'allow', what: { sites: ['wiki.example'] } }), rule('a'), rule('b')],
    })
    const [more] = deviceChanges(policy(), listed, MONDAY, MONDAY + WEEK)
    const [less] = deviceChanges(listed, policy(), MONDAY, MONDAY + WEEK)
    expect([more!.listed, more!.opened, less!.unlisted, less!.closed]).toEqual([63 * 3600, 0, 63 * 3600, 0])
    expect(
      [turnsWithin([more!], MONDAY, MONDAY + 60), turnsWithin([less!], MONDAY, MONDAY + 60)].map(
        ([turn]) => turn!.gains,
      ),
    ).toEqual([true, false])
  })

  test('as much access to other sites is a change, within the hour too', () => {
    const video = (sites: string[]) =>
      policy({ rules: [rule('v', { what: { sites }, when: { always: true } })] })
    const [change] = deviceChanges(video(['a.example']), video(['b.example']), MONDAY, MONDAY + WEEK)
    expect(change).toMatchObject({ opened: 0, closed: 0, partly: WEEK, device: 'till' })
    expect(turnsWithin([change!], MONDAY, MONDAY + 60)).toEqual([{ device: 'till', at: MONDAY, gains: null }])
    expect(effectWords([change!])).toBe(
      '168 hours in which other sites or services are blocked over the next 7 days, on 1 device.',
    )
    expect(
      deviceChanges(
        video(['a.example', 'b.example']),
        video(['b.example', 'a.example']),
        MONDAY,
        MONDAY + WEEK,
      ),
    ).toEqual([])
  })

  // Overrides and what was spent of allowances begin and end at any second.
  test('opened and closed are what a minute-by-minute count finds', () => {
    fc.assert(
      fc.property(policies, policies, instants, (a, b, start) => {
        const from = Math.floor(start / 60) * 60
        const [before, after] = [a, b].map(
          (one) =>
            timelines(
              compile({ ...one, overrides: [], spent: [] }),
              everyDevice(compile(one)).slice(0, 1),
              from,
              from + 86400,
            )[0]!.segments,
        )
        let [opened, closed] = [0, 0]
        for (let at = from; at < from + 86400; at += 60) {
          const [was, is] = [before!, after!].map((segments) =>
            isBlocked(segments.find((one) => one.from <= at && at < one.until)!.state),
          )
          if (was && !is) opened += 60
          if (!was && is) closed += 60
        }
        expect(accessDifference(before!, after!)).toMatchObject({ opened, closed })
      }),
      { numRuns: 60 },
    )
  })
})
