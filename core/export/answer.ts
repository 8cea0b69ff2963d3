import ICAL from 'ical.js'
import Papa from 'papaparse'
import { isBlocked, type State } from '../decision/standing.ts'
import { unite } from '../time/ranges.ts'
import { instantText, offsetText } from '../time/instant.ts'
import { guard } from '../import/device-csv.ts'

/**
 * A line of the answer to "who is blocked at that moment": how a device stands, by what, since when and until
 * when (seconds; `null` = no bound in sight), and what is said of its allowances ('' = nothing).
 */
export interface AnswerRow {
  readonly name: string
  readonly group: string
  readonly network: string
  readonly state: State
  readonly by: string
  readonly since: number | null
  readonly until: number | null
  readonly allowance: string
}

/** The moment of which an answer speaks (seconds), in the zone of its place. */
export interface AnswerTime {
  readonly at: number
  readonly zone: string
}

const COLUMNS = ['name', 'group', 'state', 'by', 'since', 'until', 'network', 'allowance'] as const
const boundText = (instant: number | null) => (instant === null ? '' : instantText(instant))
const textOf = ({ since, until, ...row }: AnswerRow) => ({
  ...row,
  since: boundText(since),
  until: boundText(until),
})

/**
 * The answer as CSV (RFC 4180), or parted by tabs for a clipboard; `since` and `until` in UTC, the moment
 * asked in local time with its offset, no value that a spreadsheet would take for a formula.
 */
export function answerTable(
  rows: readonly AnswerRow[],
  { at, zone }: AnswerTime,
  delimiter: ',' | '\t' = ',',
): string {
  const moment = offsetText(at, zone)
  const data = rows.map(textOf).map((row) => [...COLUMNS.map((column) => guard(row[column])), moment])
  return Papa.unparse(
    { fields: [...COLUMNS, 'at'], data },
    { delimiter, newline: delimiter === ',' ? '\r\n' : '\n' },
  )
}

/**
 * A line of the answer to "who can reach this": whether a device can, by what it is decided ('' = by nothing),
 * and until when (seconds; `null` = no end in sight).
 */
export interface ReachRow {
  readonly name: string
  readonly group: string
  readonly reaches: boolean
  readonly by: string
  readonly until: number | null
}

/** Who can reach a destination, as CSV like `answerTable`. */
export function reachTable(rows: readonly ReachRow[], destination: string, { at, zone }: AnswerTime): string {
  const moment = offsetText(at, zone)
  return Papa.unparse(
    {
      fields: ['name', 'group', 'destination', 'reaches', 'by', 'until', 'at'],
      data: rows.map(({ name, group, reaches, by, until }) => [
        ...[name, group, destination].map(guard),
        reaches ? 'yes' : 'no',
        guard(by),
        boundText(until),
        moment,
      ]),
    },
    { newline: '\r\n' },
  )
}

/** A connection as it is exported: its instant (UTC), by which device, where to, and what became of it. */
export interface ConnectionRow {
  readonly at: string
  readonly device: string
  readonly mac: string
  readonly to: string
  readonly outcome: string
}

/** Connections as CSV (RFC 4180), no value that a spreadsheet would take for a formula. */
export function connectionTable(rows: readonly ConnectionRow[]): string {
  const fields = ['at', 'device', 'mac', 'to', 'outcome'] as const
  return Papa.unparse(
    { fields: [...fields], data: rows.map((row) => fields.map((field) => guard(row[field]))) },
    { newline: '\r\n' },
  )
}

/** The answer as JSON: the moment, and the rows with instants in UTC, `null` where there is no bound. */
export function answerJson(rows: readonly AnswerRow[], at: number): string {
  return `${JSON.stringify({ at: instantText(at), devices: rows.map((row) => ({ ...row, since: row.since === null ? null : instantText(row.since), until: row.until === null ? null : instantText(row.until) })) }, null, 2)}\n`
}

/**
 * The blocked times of devices as events of a calendar (RFC 5545), in UTC; neighbours that are both blocked
 * are one event. `stamp` is the instant of writing, all in seconds.
 */
export function blockedCalendar(
  devices: readonly {
    readonly id: string
    readonly name: string
    readonly segments: readonly { readonly from: number; readonly until: number; readonly state: State }[]
  }[],
  stamp: number,
): string {
  const calendar = new ICAL.Component('vcalendar')
  calendar.updatePropertyWithValue('version', '2.0')
  calendar.updatePropertyWithValue('prodid', '-//Kairostat//Blocked times//EN')
  const time = (at: number) => ICAL.Time.fromJSDate(new Date(at * 1000), true)
  for (const { id, name, segments } of devices) {
    for (const { from, until } of unite(segments.filter(({ state }) => isBlocked(state)))) {
      const event = new ICAL.Component('vevent')
      event.updatePropertyWithValue('uid', `${encodeURIComponent(id)}-${from}@kairostat.invalid`)
      event.updatePropertyWithValue('dtstamp', time(stamp))
      event.updatePropertyWithValue('dtstart', time(from))
      event.updatePropertyWithValue('dtend', time(until))
      event.updatePropertyWithValue('summary', `${name} is blocked`)
      calendar.addSubcomponent(event)
    }
  }
  return `${calendar.toString()}\r\n`
}
