import { expect, test } from 'vitest'
import { readLocal } from './instant.ts'
import { readSpan } from './spoken-span.ts'

const ZONE = 'Europe/Lisbon'
/** A Wednesday. */
const NOW = readLocal('2026-12-02T17:40', ZONE)!
const at = (local: string) => readLocal(local, ZONE)

test.each<[string, string | null, number | null, string | null]>([
  ['30 min', null, 1800, null],
  ['for 1 h 30 min', null, 5400, null],
  ['10 more minutes', null, 600, null],
  ['45', null, 2700, null],
  ['until 22', null, null, '2026-12-02T22:00'],
  ['until tomorrow 7am', null, null, '2026-12-03T07:00'],
  ['22:00', null, null, '2026-12-02T22:00'],
  ['2026-12-24', null, null, '2026-12-24T12:00'],
  ['until I end it', null, null, null],
  ['18:30-19:30', '2026-12-02T18:30', null, '2026-12-02T19:30'],
  ['18:30 – 19:30', '2026-12-02T18:30', null, '2026-12-02T19:30'],
  ['from 18 to 19', '2026-12-02T18:00', null, '2026-12-02T19:00'],
  ['22:00 until 6:00', '2026-12-02T22:00', null, '2026-12-03T06:00'],
  ['fri 21:00-01:30', '2026-12-04T21:00', null, '2026-12-05T01:30'],
  ['sat 10 to 12', '2026-12-05T10:00', null, '2026-12-05T12:00'],
  // What has begun begins now; what is over today is meant for tomorrow.
  ['17:00-18:00', null, null, '2026-12-02T18:00'],
  ['16:00-17:00', '2026-12-03T16:00', null, '2026-12-03T17:00'],
  ['at 18:30 for 45 min', '2026-12-02T18:30', null, '2026-12-02T19:15'],
  ['tomorrow 18:30 for 1 h', '2026-12-03T18:30', null, '2026-12-03T19:30'],
])('“%s”', (text, from, lasts, until) => {
  expect(readSpan(text, ZONE, NOW)).toEqual({ from: from && at(from), lasts, until: until && at(until) })
})

test.each(['', 'yesterday', 'until noonish', '0', '10 parsecs', '25:00-26:00', 'from 18:30', 'for ever'])(
  '“%s” is no span to come',
  (text) => expect(readSpan(text, ZONE, NOW)).toBeNull(),
)
