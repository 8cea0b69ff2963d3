import { expect, test } from 'vitest'
import { compile, subjectOfMac } from '../../core/decision/compile.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { accessPage } from './access-page.ts'
import { closedPage } from './closed-page.ts'
import type { Viewer } from './viewer.ts'

const MAC = '02:5e:10:00:00:01'
const NOON = Date.UTC(2026, 10, 27, 12) / 1000
const blocking = (id: string, hours: string) =>
  policyOf({
    kairostat: 1,
    place: { name: 'Bindery', timeZone: 'UTC' },
    devices: [{ id: 'tablet', name: 'Tablet', adapters: [{ mac: MAC, medium: 'wifi' }] }],
    schedules: [{ id: 'hours', name: 'Hours', week: hours }],
    rules: [
      {
        id,
        name: 'Closed',
        effect: 'block',
        who: { everyone: true },
        what: { internet: true },
        when: { schedules: ['hours'] },
      },
    ],
  })
const [allowed, blocked] = [blocking('a', 'Mo-Su 23:00-24:00'), blocking('b', 'Mo-Su 00:00-24:00')]

/** The rectangles of the day's drawing, 480 pixels wide, as "from-until". */
function drawn(periods: Viewer['periods']): string[] {
  const compiled = compile(blocked)
  const viewer = {
    compiled,
    subject: subjectOfMac(compiled, MAC),
    mac: MAC,
    periods,
    at: NOON,
    known: { at: 0, uses: [] },
    request: null,
    clock: { zone: 'UTC', twelveHours: false },
  }
  const page = closedPage(viewer, 'reelbrook.example', '')
  return [...page.matchAll(/<path d="([^"]*)"/g)].flatMap(([, path]) =>
    [...path!.matchAll(/M(\d+(?:\.\d+)?)[^M]*?H(\d+(?:\.\d+)?)/g)].map(
      ([, from, until]) => `${from}-${until}`,
    ),
  )
}

test('the page of a blocked name draws the past by what was in force then, and says from when it is known', () => {
  expect(
    drawn([
      { from: NOON - 90_000, until: NOON, policy: allowed },
      { from: NOON, until: Infinity, policy: blocked },
    ]),
  ).toEqual(['0-240'])
  expect(
    drawn([
      { from: NOON - 3600, until: NOON, policy: allowed },
      { from: NOON, until: Infinity, policy: blocked },
    ]),
  ).toEqual(['220-240'])
  expect(drawn([{ from: NOON - 90_000, until: Infinity, policy: blocked }])).toEqual([])
  // A clock that was set back.
  expect(drawn([{ from: NOON + 90_000, until: Infinity, policy: allowed }])).toEqual(['240-460'])
})

test.each<[string, number, string]>([
  [
    'minutes pass',
    NOON + 10.5 * 3600,
    '<b class="ticks" style="--minutes:30;--seconds:1800s">30 min</b> until',
  ],
  ['hours stand still', NOON, '<b>11 h</b> until the internet is blocked, at 23:00'],
  ['half a minute counts as one', NOON + 11 * 3600 - 30, '--minutes:1;--seconds:30s'],
  ['what is blocked opens', NOON + 11.5 * 3600, 'until everything is allowed, at tomorrow 00:00'],
])('the page of a device begins with how long it stays as it is: %s', (_, at, words) => {
  const compiled = compile(allowed)
  const viewer = {
    ...{ compiled, subject: subjectOfMac(compiled, MAC), mac: MAC, at, known: { at: 0, uses: [] } },
    ...{ request: null, clock: { zone: 'UTC', twelveHours: false } },
    periods: [{ from: NOON - 90_000, until: Infinity, policy: allowed }],
  }
  const page = accessPage(viewer, '')
  expect(page).toContain(words)
  expect(page.indexOf('class="left')).toBeLessThan(page.indexOf('<h1>'))
  expect(page.indexOf('full height is allowed')).toBeGreaterThan(page.indexOf('The next days'))
})
