import { expect, test } from 'vitest'
import { readDate } from './instant.ts'
import { readSpokenException } from './spoken-exception.ts'

const TODAY = readDate('2026-11-27')!

test.each([
  ['24 Dec 8-12', '2026-12-24', '2026-12-24', '08:00-12:00'],
  ['24-26 Dec off', '2026-12-24', '2026-12-26', 'off'],
  ['24. – 26. dec', '2026-12-24', '2026-12-26', 'off'],
  ['24 Dec to 2 Jan', '2026-12-24', '2027-01-02', 'off'],
  ['24 December 2026 until 2 January 2027 22:30-8:30', '2026-12-24', '2027-01-02', '22:30-08:30'],
  ['25.12. 9am-1pm, 15-17', '2026-12-25', '2026-12-25', '09:00-13:00,15:00-17:00'],
  ['2026-12-24 - 2026-12-26 24/7', '2026-12-24', '2026-12-26', '24/7'],
  ['3 Jan', '2027-01-03', '2027-01-03', 'off'],
  ['tomorrow 10-14', '2026-11-28', '2026-11-28', '10:00-14:00'],
  ['mon', '2026-11-30', '2026-11-30', 'off'],
])('“%s” is from %s until %s: %s', (text, from, until, hours) => {
  const read = readSpokenException(text, TODAY)
  expect(read).toEqual({ from, until, hours })
  // What was read is read again.
  expect(readSpokenException(`${from} to ${until} ${hours}`, TODAY)).toEqual(read)
})

test.each([
  '',
  'soon',
  '24 Dec perhaps',
  '32 Dec',
  '24 Dec Mo 8-12',
  '26 Dec 2026 to 24 Dec 2026',
  '24 Dec 8-8',
  'x '.repeat(5000),
])('“%s” is none', (text) => expect(readSpokenException(text, TODAY)).toBeNull())
