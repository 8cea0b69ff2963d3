import { expect, test } from 'vitest'
import { barsOf, rangeOf, usePerDevice } from './usage.ts'

const ZONE = 'Europe/Lisbon'
const [A, B, C] = ['02:5e:10:00:00:01', '02:5e:10:00:00:02', '02:5e:10:00:00:03']
const row = (mac: string, at: string, bytes: number, minutes: number) => ({
  mac,
  network: '',
  at,
  sent: bytes,
  received: 9 * bytes,
  packets: 1,
  dropped: 2,
  minutes,
})
const owners = [{ key: 'desk', name: 'Desk', macs: [A, B] }]

test('what the adapters of a device used is its own, who used most stands first, and whom nobody has by address', () => {
  const rows = [
    row(A, '2026-11-23', 1, 30),
    row(C, '2026-11-23', 2, 5),
    row(B, '2026-11-24', 3, 1),
    row(C, '2026-11-24', 1, 90),
  ]
  const facts = (measure: 'bytes' | 'minutes') =>
    usePerDevice(rows, owners, measure).map(({ name, bytes, minutes, dropped }) => [
      name,
      bytes,
      minutes,
      dropped,
    ])
  expect(facts('bytes')).toEqual([
    ['Desk', 40, 31, 4],
    [C, 30, 95, 4],
  ])
  expect(facts('minutes').map(([name]) => name)).toEqual([C, 'Desk'])
})

test('bars last an hour, or a day of the place with its 23 to 25 hours, and no bar is active for longer', () => {
  const hours = barsOf(
    [
      row(B, '2026-11-23T13:00:00Z', 1, 20),
      row(A, '2026-11-23T12:00:00Z', 1, 40),
      row(B, '2026-11-23T12:00:00Z', 1, 40),
    ],
    'hour',
    ZONE,
  )
  expect(hours.map(({ from, until, bytes, minutes }) => [until - from, bytes, minutes])).toEqual([
    [3600, 20, 60],
    [3600, 10, 20],
  ])
  const days = barsOf(
    ['2026-10-25', '2026-03-29', '2026-11-23'].map((at) => row(A, at, 1, 2000)),
    'day',
    ZONE,
  )
  expect(days.map(({ from, until, minutes }) => [(until - from) / 3600, minutes])).toEqual([
    [23, 1380],
    [25, 1500],
    [24, 1440],
  ])
})

test.each([
  ['day', '2026-10-24T23:00:00Z', '2026-10-26T00:00:00Z'],
  ['week', '2026-10-18T23:00:00Z', '2026-10-26T00:00:00Z'],
  ['month', '2026-09-25T23:00:00Z', '2026-10-26T00:00:00Z'],
] as const)('a %s up to a day is of whole days of the place', (span, from, until) => {
  const day = Date.parse('2026-10-25') / 86_400_000
  const range = rangeOf(span, day, ZONE)
  expect([range.from, range.until]).toEqual([Date.parse(from) / 1000, Date.parse(until) / 1000])
})
