import { describe, expect, test } from 'vitest'
import { entriesBetween } from '../../core/change/entries.ts'
import { documentOf } from '../../core/policy/canonical.ts'
import { compile, everyDevice } from '../../core/decision/compile.ts'
import { momentsAt } from '../../core/decision/moment.ts'
import { timelines } from '../../core/decision/timeline.ts'
import { readInstant, readDate } from '../../core/time/instant.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { stateChanges } from '../model/board/state-changes.ts'
import { deviceSubject } from '../../core/decision/subject.ts'
import { effectWords, entryWords } from '../../core/words/change.ts'
import { ruleWords } from '../../core/words/rule.ts'
import { blockedWords, standingSentence, stateWord, turnWords } from './standing.ts'
import { dayAxis, whenWords } from './time.ts'
import { lengthWords } from '../../core/words/length.ts'

const at = (text: string) => readInstant(text)!
const device = (id: string, name: string, more: object = {}) => ({ id, name, ...more })
const policy = policyOf({
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'Europe/Lisbon' },
  devices: [
    device('till', 'Till', { shielded: true }),
    device('kiosk', 'Kiosk'),
    device('radio', 'Radio'),
    device('phone', 'Phone'),
    device('clock', 'Clock'),
  ],
  groups: [{ id: 'front', name: 'Front of house', members: ['till', 'kiosk'] }],
  schedules: [
    { id: 'nights', name: 'Nights', week: '21:00-07:00' },
    { id: 'weekend', name: 'Weekend', week: 'Sa,Su 24/7'.replace('24/7', '00:00-24:00') },
  ],
  siteLists: [{ id: 'pages', name: 'Our pages', entries: ['saltmarsh.example'] }],
  rules: [
    {
      id: 'pages',
      name: 'Pages',
      effect: 'allow',
      who: { devices: ['kiosk'] },
      what: { siteLists: ['pages'] },
      when: { always: true },
    },
    {
      id: 'only',
      name: 'Nothing else',
      effect: 'block',
      who: { devices: ['kiosk'] },
      what: { internet: true },
      when: { always: true },
    },
    {
      id: 'live',
      name: 'No streams',
      effect: 'block',
      who: { devices: ['radio'] },
      what: { keywords: ['stream'], services: ['tcp/21'] },
      when: { always: true },
    },
    {
      id: 'nights',
      name: 'Quiet nights',
      effect: 'block',
      who: { everyone: true, except: { devices: ['clock'] } },
      what: { internet: true },
      when: { schedules: ['nights', 'weekend'], outside: false },
    },
    {
      id: 'once',
      name: 'Once',
      effect: 'block',
      who: { newcomers: true, groups: ['front'] },
      what: {},
      when: { from: '2026-12-05T14:00', until: '2026-12-05T18:00' },
    },
  ],
  overrides: [
    {
      id: 'call',
      effect: 'allow',
      who: { devices: ['phone'] },
      from: '2026-11-25T22:00:00Z',
      until: '2026-11-25T23:30:00Z',
      note: 'A call',
    },
  ],
})
const compiled = compile(policy)
const standing = (id: string, when: string) => momentsAt(compiled, [deviceSubject(id)], at(when))[0]!
const sentence = (id: string, when: string) => {
  const { before, name, after } = standingSentence(standing(id, when), policy, at(when))
  return before + name + after
}

test.each([
  [
    'phone',
    '2026-11-25T21:30:00Z',
    'blocked',
    'Blocked since 21:00, until 22:00, by Quiet nights; rule 4 of 5.',
  ],
  ['phone', '2026-11-25T22:30:00Z', 'allowed', 'Allowed since 22:00, until 23:30, by an override: “A call”.'],
  [
    'radio',
    '2026-11-25T12:00:00Z',
    'partly blocked',
    'Partly blocked since 07:00, until 21:00, by No streams; rule 3 of 5.',
  ],
  [
    'kiosk',
    '2026-11-25T12:00:00Z',
    'listed sites only',
    'Listed sites only, no end planned, by Nothing else; rule 2 of 5.',
  ],
  ['till', '2026-11-25T12:00:00Z', 'never blocked', 'Never blocked: no rule and no override applies to it.'],
  ['phone', '2026-11-25T12:00:00Z', 'allowed', 'Allowed since 07:00, until 21:00.'],
  ['clock', '2026-11-25T12:00:00Z', 'allowed', 'Allowed. No rule applies to it.'],
  [
    'phone',
    '2026-11-28T12:00:00Z',
    'blocked',
    'Blocked since Friday 21:00, until Monday 07:00, by Quiet nights; rule 4 of 5.',
  ],
])('%s at %s is %s: %s', (id, when, word, words) => {
  expect([stateWord(standing(id, when)), sentence(id, when)]).toEqual([word, words])
})

test('what comes next counts who is blocked and who gets access again', () => {
  const next = (when: string) =>
    turnWords(
      stateChanges(timelines(compiled, everyDevice(compiled), at(when), at(when) + 9 * 86400))[0]!,
      at(when),
      'Europe/Lisbon',
    )
  expect([next('2026-11-25T12:00:00Z'), next('2026-11-25T21:30:00Z'), next('2026-11-28T12:00:00Z')]).toEqual([
    'At 21:00 2 more devices are blocked.',
    'At 22:00 1 device gets access again.',
    'On Monday 07:00 2 devices get access again.',
  ])
  expect([blockedWords(0), blockedWords(1), blockedWords(6), blockedWords(40)]).toEqual([
    'nobody is blocked',
    '1 device is blocked',
    '6 devices are blocked',
    '40 devices are blocked',
  ])
})

test('a rule reads as a sentence', () => {
  expect(
    policy.rules.map((rule) => {
      const { who, effect, what, when } = ruleWords(rule, policy)
      return `${who} ${effect} ${what} ${when}.`
    }),
  ).toEqual([
    'Kiosk may reach the list Our pages always.',
    'Kiosk may not reach the internet always.',
    'Radio may not reach names with “stream” and tcp/21 always.',
    'Everyone, except Clock, may not reach the internet during Nights and Weekend.',
    'Front of house and unknown devices may not reach nothing yet from 2026-12-05 14:00 until 2026-12-05 18:00.',
  ])
})

describe('times', () => {
  test('are bare on the same day, then named, then dated', () => {
    const from = at('2026-11-25T12:00:00Z')
    expect(
      ['2026-11-26T07:00:00Z', '2026-11-26T12:00:00Z', '2026-12-01T07:00:00Z', '2026-12-24T07:00:00Z'].map(
        (text) => whenWords(at(text), from, 'Europe/Lisbon'),
      ),
    ).toEqual(['Thursday 07:00', 'Thursday 12:00', 'Tuesday 07:00', 'Thu 24 Dec 07:00'])
    expect([0, 59.4, 61, 3600, 7500, 86_400, 200_000].map(lengthWords)).toEqual([
      '0 s',
      '59 s',
      '1 min',
      '1 h',
      '2 h 05 min',
      '1 day',
      '2 days',
    ])
  })

  test('a day’s axis is as long as the day', () => {
    const hours = (date: string) => {
      const { from, until, ticks } = dayAxis(readDate(date)!, 'Europe/Lisbon')
      return [(until - from) / 3600, ticks.map((tick) => (tick.at - from) / 3600)]
    }
    expect(hours('2026-11-25')).toEqual([24, [0, 3, 6, 9, 12, 15, 18, 21, 24]])
    expect(hours('2026-10-25')).toEqual([25, [0, 4, 7, 10, 13, 16, 19, 22, 25]])
    expect(hours('2026-03-29')).toEqual([23, [0, 2, 5, 8, 11, 14, 17, 20, 23]])
  })
})

test('edits and what they do are said in words', () => {
  const after = policyOf({
    ...documentOf(policy),
    groups: [{ id: 'front', name: 'Front of house', members: ['till', 'radio'] }],
    devices: [
      device('till', 'Till'),
      device('kiosk', 'Kiosk'),
      device('radio', 'Set'),
      device('phone', 'Phone'),
    ],
    schedules: [
      { id: 'nights', name: 'Nights', week: '21:30-07:00' },
      { id: 'weekend', name: 'Weekend', week: 'Sa,Su 00:00-24:00' },
      { id: 'noon', name: 'Noon', week: '12:00-13:00' },
    ],
    rules: policy.rules
      .map((rule) => (rule.id === 'nights' ? { ...rule, who: { everyone: true }, logOnly: true } : rule))
      .toReversed(),
  })
  expect(entriesBetween(policy, after).flatMap((entry) => entryWords(entry, policy, after))).toEqual([
    'Device “Till” never blocked: yes → no',
    'Device “Set” name: Radio → Set',
    'Device “Clock” is deleted',
    'Group “Front of house” devices: added Set; removed Kiosk',
    'Schedule “Nights” time ranges: every day 21:00 to 07:00 next day → every day 21:30 to 07:00 next day',
    'Schedule “Noon” is new',
    'Rule “Quiet nights” log only: no → yes',
    'Rule “Quiet nights” applies to: Everyone, except Clock → Everyone',
    'The order of the rules changes',
  ])
  const change = (opened: number, closed: number, listed = 0, partly = 0) => [
    { device: 'd', before: [], after: [], differs: [], opened, closed, listed, unlisted: 0, partly },
  ]
  expect([
    effectWords([]),
    effectWords(change(0, 0, 0, 7200)),
    effectWords(change(14 * 3600, 2 * 3600)),
    effectWords(change(0, 5400)),
    effectWords(change(3600, 0, 60)),
  ]).toEqual([
    'Changes nobody’s access over the next 7 days.',
    '2 hours in which other sites or services are blocked over the next 7 days, on 1 device.',
    '14 more hours of access and 2 fewer hours of access over the next 7 days, on 1 device.',
    '1.5 fewer hours of access over the next 7 days, on 1 device.',
    '1 more hour of access and 0.1 hours go from blocked to listed sites only over the next 7 days, on 1 device.',
  ])
})
