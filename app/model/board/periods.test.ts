import { expect, test } from 'vitest'
import { readInstant } from '../../../core/time/instant.ts'
import type { LiveAnswer, PeriodAnswer } from '../../../protocol/answers.ts'
import { policyOf } from '../../../tests/support/arbitraries.ts'
import { periodsOf } from './periods.ts'

const named = (name: string) => policyOf({ kairostat: 1, place: { name, timeZone: 'UTC' } })
const instant = (hour: number) => `2026-11-25T${String(hour).padStart(2, '0')}:00:00Z`
const past = (...hours: (number | null)[]): PeriodAnswer[] =>
  hours.slice(0, -1).map((hour, index) => ({
    number: hour,
    from: hour === null ? null : instant(hour),
    until: hours[index + 1] === null ? null : instant(hours[index + 1]!),
    policy: named(`past ${hour}`),
  }))
const live = (hour: number | null): LiveAnswer => ({
  policy: named('live'),
  digest: '',
  revision: hour === null ? null : { number: 9, author: 'ada', note: '', createdAt: instant(hour) },
})

test.each<
  [what: string, past: PeriodAnswer[], live: number | null, draftAt: number | null, periods: string[]]
>([
  ['nothing was ever applied', [], null, null, ['live … to …']],
  ['the first revision, its past not asked for', [], 9, null, ['live … to …']],
  [
    'what was before, from the first of it on',
    past(3, 6, 9),
    9,
    null,
    ['past 3 … to 6', 'past 6 6 to 9', 'live 9 to …'],
  ],
  ['a past that knows the live revision too', past(6, 9, null), 9, null, ['past 6 … to 9', 'live 9 to …']],
  ['the draft from noon on', past(6, 9), 9, 12, ['past 6 … to 9', 'live 9 to 12', 'draft 12 to …']],
  ['the draft from before what is live', past(6, 9), 9, 8, ['past 6 … to 9', 'draft 9 to …']],
  ['the draft where nothing was applied', [], null, 12, ['live … to 12', 'draft 12 to …']],
])('%s', (_, before, hour, draftAt, expected) => {
  const at = draftAt === null ? 0 : readInstant(instant(draftAt))!
  const text = (edge: number) => (Number.isFinite(edge) ? String(new Date(edge * 1000).getUTCHours()) : '…')
  const periods = periodsOf(before, live(hour), draftAt === null ? null : named('draft'), at)
  expect(
    periods.map(({ from, until, policy }) => `${policy.place.name} ${text(from)} to ${text(until)}`),
  ).toEqual(expected)
})

test('what is live decides from the second in which it was heard of, at every second of that minute, by a clock that is behind too', () => {
  const createdAt = readInstant(instant(9))!
  for (const behind of [0, 1, 29, 59]) {
    const heardAt = createdAt + 1 - behind
    const periods = periodsOf(past(3, 9), { ...live(9), heardAt }, null, createdAt)
    for (let at = createdAt - 60; at < createdAt + 120; at++)
      expect([behind, at, periods.findLast(({ from }) => from <= at)!.policy.place.name]).toEqual([
        behind,
        at,
        at >= Math.min(createdAt, heardAt) ? 'live' : 'past 3',
      ])
  }
})
