import { describe, expect, test } from 'vitest'
import type { StateAt } from '../../core/decision/moment.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { deviceRows, ORDERS, type Order } from './device-rows.ts'

const mac = (last: number) => `02:5e:10:00:00:0${last}`
const device = (id: string, kind: string, ...cards: number[]) => ({
  id,
  name: `Desk ${id}`,
  kind,
  adapters: cards.map((last) => ({ mac: mac(last), medium: 'ethernet' })),
})
const draft = policyOf({
  kairostat: 1,
  place: { name: 'B', timeZone: 'UTC' },
  devices: [
    device('10', 'desktop', 1, 2),
    device('9', 'laptop', 3),
    device('2', 'camera', 4),
    device('1', 'other'),
  ],
  groups: [
    { id: 'g', name: 'Office', members: ['9', '10'] },
    { id: 'h', name: 'Annex', members: ['10'] },
  ],
})
const seen = (last: number, connected: boolean, days: [first: number, last: number], yours = false) => ({
  mac: mac(last),
  hostName: null,
  addresses: [],
  interface: null,
  medium: null,
  connected,
  maker: null,
  leftAlone: false,
  yours,
  firstSeen: `2026-11-0${days[0]}T00:00:00Z`,
  lastSeen: `2026-11-0${days[1]}T00:00:00Z`,
})
const moment = (state: StateAt['state']) =>
  ({ state, decidedBy: null, since: null, until: null, clauses: [] }) as unknown as StateAt
const rows = deviceRows(
  draft,
  [seen(1, false, [2, 3]), seen(2, true, [4, 5], true), seen(3, false, [1, 8]), seen(4, false, [3, 6])],
  new Map([
    ['10', moment('open')],
    ['2', moment('cut-off')],
  ]),
)

describe('the lines of the list of devices', () => {
  test('unite what was seen of every adapter', () => {
    expect(
      rows.map(({ device, groups, yours, firstSeen, lastSeen, findings }) => [
        device.id,
        groups,
        yours,
        (firstSeen / 86400) % 1000,
        (lastSeen / 86400) % 1000,
        findings.map(({ kind }) => kind),
      ]),
    ).toEqual([
      ['10', 'Office, Annex', true, 759, NaN, []],
      ['9', 'Office', false, 758, 765, ['wifi-missing']],
      ['2', '', false, 760, 763, []],
      ['1', '', false, NaN, NaN, []],
    ])
    expect(
      rows
        .map(({ lastSeen, firstSeen }) => [lastSeen, firstSeen])
        .filter((pair) => !pair.every(Number.isFinite)),
    ).toEqual([
      [Infinity, rows[0]!.firstSeen],
      [-Infinity, Infinity],
    ])
  })

  test.each<[Order, string[]]>([
    ['name', ['1', '2', '9', '10']],
    ['blocked first', ['2', '1', '9', '10']],
    ['group', ['9', '10', '1', '2']],
    ['kind', ['2', '10', '9', '1']],
    ['last seen', ['10', '9', '2', '1']],
    ['newest first', ['1', '2', '10', '9']],
    ['warnings first', ['9', '1', '2', '10']],
  ])('stand by %s', (order, expected) => {
    expect([...rows].sort(ORDERS[order]).map(({ device }) => device.id)).toEqual(expected)
  })
})
