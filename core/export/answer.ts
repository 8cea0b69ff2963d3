import ICAL from 'ical.js'
import Papa from 'papaparse'
import { isBlocked, type State } from '../decision/standing.ts'
import { unite } from '../time/ranges.ts'
import { instantText } from '../time/instant.ts'
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

const COLUMNS = ['name', 'group', 'state', 'by', 'since', 'until', 'network', 'allowance'] as const
const textOf = ({ since, until, ...row }: AnswerRow) => ({
  ...row,
  since: since === null ? '' : instantText(since),
  until: until === null ? '' : instantText(until),
})

/**
 * The answer as CSV (RFC 4180), or parted by tabs for a clipboard; instants in UTC, no value that a
 * spreadsheet would take for a formula.
 */
export function answerTable(rows: readonly AnswerRow[], delimiter: ',' | '\t' = ','): string {
  const data = rows.map(textOf).map((row) => COLUMNS.map((column) => guard(row[column])))
  return Papa.unparse(
    { fields: [...COLUMNS], data },
    { delimiter, newline: delimiter === ',' ? '\r\n' : '\n' },
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
