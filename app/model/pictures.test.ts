import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { compile } from '../../core/decision/compile.ts'
import type { State } from '../../core/decision/standing.ts'
import type { When } from '../../core/policy/types.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { bandShapes } from '../../core/picture/band.ts'
import { bandWords, differences } from './board/band.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { demoDocument } from '../../server/demo/policy.ts'
import { marksOf } from './board/marks.ts'
import { boardRows } from './board/board-rows.ts'
import { matchesSearch, newcomersOf, suggestedName } from './unknown-devices.ts'
import { stateSteps } from './board/steps.ts'
import { NEW_RULE, timingOf, whatOf, whatValues, whenOf, whoOf, whoValues } from './rule-form.ts'

const STATES: State[] = ['open', 'filtered', 'listed-only', 'cut-off']
/** Stretches that tile 0 to 100. */
const stretches = fc
  .array(fc.tuple(fc.integer({ min: 1, max: 99 }), fc.constantFrom(...STATES)), { maxLength: 6 })
  .chain((cuts) =>
    fc.constantFrom(...STATES).map((first) => {
      const edges = [...new Map(cuts)].sort(([a], [b]) => a - b)
      return [[0, first] as const, ...edges].map(([from, state], index, all) => ({
        from,
        until: all[index + 1]?.[0] ?? 100,
        state,
      }))
    }),
  )
const line = (states: State[]) => ({
  device: 'd',
  mac: null,
  network: null,
  segments: states.map((state, index) => ({
    from: index * 10,
    until: index * 10 + 10,
    state,
    decidedBy: null,
    clauses: [],
  })),
})

describe('bands', () => {
  test('tile their width, and each state has its own shape', () => {
    fc.assert(
      fc.property(stretches, (all) => {
        const shapes = bandShapes(all, 0, 100, 500, 19)
        expect([shapes[0]!.x0, shapes.at(-1)!.x1]).toEqual([0, 500])
        shapes
          .slice(1)
          .forEach((shape, index) =>
            expect([shape.x0, shape.state !== shapes[index]!.state]).toEqual([shapes[index]!.x1, true]),
          )
        for (const { state, path, dots } of shapes)
          expect([path !== '', dots.length > 0]).toEqual([
            state === 'open' || state === 'filtered',
            state === 'listed-only',
          ])
      }),
    )
  })

  test('differ where their states do', () => {
    fc.assert(
      fc.property(stretches, stretches, (before, after) => {
        const state = (all: typeof before, at: number) =>
          all.find(({ from, until }) => from <= at && at < until)!.state
        const found = differences(before, after)
        for (let at = 0; at < 100; at++)
          expect(found.some(({ from, until }) => from <= at && at < until)).toBe(
            state(before, at) !== state(after, at),
          )
      }),
    )
  })

  test('say what they show', () => {
    expect(bandWords(line(['open', 'cut-off', 'listed-only', 'filtered']).segments, String)).toBe(
      'blocked 10 to 20, 20 to 30',
    )
    expect(bandWords(line(['open']).segments, String)).toBe('not blocked')
  })
})

test('the ribbon steps where the number of blocked devices changes', () => {
  const counts = stateSteps([
    line(['open', 'cut-off', 'cut-off', 'open']),
    line(['cut-off', 'open', 'listed-only', 'filtered']),
  ])
  expect(counts.map((step) => [step.at, step['cut-off'], step['listed-only'], step.filtered])).toEqual(
    [
      [0, 1, 0, 0],
      [10, 1, 0, 0],
      [20, 1, 1, 0],
      [30, 0, 0, 1],
    ].filter(([at]) => at !== 10),
  )
  expect(stateSteps([])).toEqual([])
})

describe('who is on the board', () => {
  const adapter = (last: number) => ({ mac: `02:5e:10:00:00:0${last}`, medium: 'wifi' })
  const policy = (devices: object[], groups: object[] = []) =>
    policyOf({ kairostat: 1, place: { name: 'B', timeZone: 'UTC' }, devices, groups })
  const seen = (last: number, connected = true) => ({
    mac: adapter(last).mac,
    hostName: last === 9 ? null : `host-${last}`,
    addresses: ['192.0.2.7'],
    interface: null,
    medium: null,
    connected,
    firstSeen: '',
    lastSeen: '',
    leftAlone: false,
    yours: false,
    maker: last === 1 ? 'Oak and Thread' : null,
  })
  const draft = policy(
    [
      { id: 'a', name: 'A', adapters: [adapter(1)] },
      { id: 'b', name: 'B', adapters: [adapter(2)] },
      { id: 'new', name: 'New', adapters: [adapter(3)] },
    ],
    [
      { id: 'g', name: 'G', members: ['b', 'a'] },
      { id: 'h', name: 'H', members: ['a'] },
    ],
  )
  const live = compile(
    policy([
      { id: 'a', name: 'Old A', adapters: [adapter(1)] },
      { id: 'b', name: 'B', adapters: [adapter(2)] },
      { id: 'gone', name: 'Gone', adapters: [adapter(4)] },
    ]),
  )

  test('rows stand in their first group, what is not live counts as a newcomer, what is gone from the draft stays', () => {
    expect(
      boardRows(draft, live, [seen(3), seen(4), seen(8), seen(9), seen(7, false)]).map(
        ({ name, section, notLive, subject }) => [name, section, notLive, subject.device ?? subject.mac],
      ),
    ).toEqual([
      ['A', 'G', false, 'a'],
      ['B', 'G', false, 'b'],
      ['New', 'In no group', true, adapter(3).mac],
      ['Gone', 'In no group', false, 'gone'],
      ['host-8', 'Unknown devices', false, adapter(8).mac],
      [adapter(9).mac, 'Unknown devices', false, adapter(9).mac],
    ])
  })

  test('newcomers, names and search', () => {
    expect(newcomersOf(draft, [seen(1), seen(8), seen(7, false)]).map(({ mac }) => mac)).toEqual([
      adapter(8).mac,
      adapter(7).mac,
    ])
    expect([suggestedName(seen(8)), suggestedName(seen(9))]).toEqual(['Host 8', ''])
    const found = (text: string) => matchesSearch(draft.devices[0]!, [seen(1)], text)
    expect(['a', 'HOST-1', '192.0.2', '025e.1000.0001', '02-5E-10', 'oak and', ''].map(found)).toEqual(
      Array(7).fill(true),
    )
    expect(
      ['HOST-8', '02-5e-10-00-00-08', 'host-1'].map((text) => matchesSearch(null, [seen(8)], text)),
    ).toEqual([true, true, false])
    expect(['b1', '192.0.3', '025e.1000.0002'].map(found)).toEqual([false, false, false])
  })
})

test('a rule goes through its form unchanged', () => {
  const who = {
    everyone: true,
    newcomers: true,
    devices: ['a:b'],
    groups: ['g'],
    networks: ['n'],
    except: { devices: ['c'], groups: ['h'], networks: ['m'] },
  }
  const { named, except } = whoValues(who)
  expect(whoOf(named, except)).toEqual(who)
  const what = {
    internet: false,
    sites: ['a.example'],
    siteLists: ['l'],
    keywords: ['k'],
    apps: ['p'],
    categories: ['video'],
    services: ['tcp/21'],
  }
  expect(whatOf(false, whatValues(what), what)).toEqual(what)
  expect(whatOf(true, whatValues(what), what)).toEqual(NEW_RULE.what)
  const whens: When[] = [
    { always: true },
    { schedules: ['s'], outside: true },
    { schedules: ['s'], outside: false },
    { from: '2026-12-05T14:00', until: '2026-12-05T18:00' },
  ]
  for (const when of whens) {
    expect(
      whenOf(
        timingOf(when),
        'schedules' in when ? when.schedules : [],
        'from' in when ? when : { from: '', until: '' },
      ),
    ).toEqual(when)
  }
})

test('what is unusual on the time line is marked: clock changes, exceptions in use, single occasions', () => {
  const policy = policyOf(demoDocument('2026-11-28'))
  const marks = (from: string, until: string) =>
    marksOf(policy, readInstant(from)!, readInstant(until)!).map(({ at, words }) => [instantText(at), words])
  expect(marks('2026-11-23T00:00:00Z', '2026-12-09T00:00:00Z')).toEqual([
    ['2026-11-28T14:00:00Z', 'Stocktaking, only this once'],
    ['2026-12-08T00:00:00Z', 'Bench hours: no time range from 2026-12-08 to 2026-12-08'],
  ])
  expect(marks('2026-12-25T00:00:00Z', '2026-12-26T00:00:00Z')).toEqual([
    ['2026-12-25T00:00:00Z', 'Bench hours: no time range from 2026-12-24 to 2027-01-02'],
    ['2026-12-25T00:00:00Z', 'School nights: 22:30-08:30 from 2026-12-18 to 2027-01-03'],
  ])
  expect(marks('2027-03-27T00:00:00Z', '2027-03-29T00:00:00Z')).toEqual([
    ['2027-03-28T01:00:00Z', 'The clock skips an hour here'],
  ])
})
