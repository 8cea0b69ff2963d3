import ICAL from 'ical.js'
import Papa from 'papaparse'
import { expect, test } from 'vitest'
import {
  answerJson,
  answerTable,
  blockedCalendar,
  connectionTable,
  reachTable,
  type AnswerRow,
} from './answer.ts'

const rows: AnswerRow[] = [
  {
    name: '=Big "screen"',
    group: 'Flat, upstairs',
    network: 'Main network',
    state: 'cut-off',
    by: 'Supper',
    since: 1795428000,
    until: 1795431600,
    allowance: '',
  },
  {
    name: 'Tide clock',
    group: '',
    network: '',
    state: 'open',
    by: '',
    since: null,
    until: null,
    allowance: '40 min left',
  },
]

const ASKED = { at: 1795428060, zone: 'Europe/Athens' }

test('the answer as a table holds every value, and no formula', () => {
  for (const delimiter of [',', '\t'] as const) {
    expect(Papa.parse<object>(answerTable(rows, ASKED, delimiter), { header: true, delimiter }).data).toEqual(
      [
        {
          ...rows[0],
          name: '\'=Big "screen"',
          since: '2026-11-23T10:00:00Z',
          until: '2026-11-23T11:00:00Z',
          at: '2026-11-23T12:01:00+02:00',
        },
        { ...rows[1], since: '', until: '', at: '2026-11-23T12:01:00+02:00' },
      ],
    )
  }
  expect(JSON.parse(answerJson(rows, 1795428060))).toMatchObject({
    at: '2026-11-23T10:01:00Z',
    devices: [
      { since: '2026-11-23T10:00:00Z', by: 'Supper' },
      { since: null, until: null },
    ],
  })
})

test('who can reach something is a table that says what was asked, and when', () => {
  const row = { name: 'Till', group: '@Front', reaches: false, by: 'No video', until: 1795431600 }
  expect(reachTable([row, { ...row, reaches: true, by: '', until: null }], 'clipriver.example', ASKED)).toBe(
    [
      'name,group,destination,reaches,by,until,at',
      "Till,'@Front,clipriver.example,no,No video,2026-11-23T11:00:00Z,2026-11-23T12:01:00+02:00",
      "Till,'@Front,clipriver.example,yes,,,2026-11-23T12:01:00+02:00",
    ].join('\r\n'),
  )
})

test('blocked times become events, neighbours one', () => {
  const text = blockedCalendar(
    [
      {
        id: 'big screen',
        name: 'Big screen',
        segments: [
          { from: 1795428000, until: 1795431600, state: 'open' },
          { from: 1795431600, until: 1795435200, state: 'cut-off' },
          { from: 1795435200, until: 1795438800, state: 'listed-only' },
          { from: 1795438800, until: 1795442400, state: 'filtered' },
          { from: 1795442400, until: 1795446000, state: 'cut-off' },
        ],
      },
      { id: 'open', name: 'Open', segments: [{ from: 0, until: 1, state: 'open' }] },
    ],
    1795428000,
  )
  const events = ICAL.Component.fromString(text)
    .getAllSubcomponents('vevent')
    .map((event) => new ICAL.Event(event))
  expect(
    events.map((event) => [event.summary, event.startDate.toString(), event.endDate.toString()]),
  ).toEqual([
    ['Big screen is blocked', '2026-11-23T11:00:00Z', '2026-11-23T13:00:00Z'],
    ['Big screen is blocked', '2026-11-23T14:00:00Z', '2026-11-23T15:00:00Z'],
  ])
  expect(new Set(events.map(({ uid }) => uid)).size).toBe(2)
})

test('connections as a table hold every value, and no formula', () => {
  const row = {
    at: '2026-11-23T10:00:00Z',
    device: '=A, "B"',
    mac: '02:5e:10:00:00:01',
    to: 'https://reelbrook.example',
    outcome: 'passed',
  }
  expect(Papa.parse<object>(connectionTable([row]), { header: true }).data).toEqual([
    { ...row, device: '\'=A, "B"' },
  ])
})
