import Papa from 'papaparse'
import { deviceForm } from '../policy/parts.ts'
import type { Fault } from '../policy/shape.ts'
import type { Unread } from './reading.ts'
import type { DeviceRow } from './device-row.ts'

/**
 * The columns of a list of devices; `name` and `adapters` must be there, one that is missing leaves things as
 * they are.
 */
export const COLUMNS = ['id', 'name', 'kind', 'adapters', 'groups', 'shielded', 'note'] as const
export type Column = (typeof COLUMNS)[number]

/** The headings that other programs and people write, for each column. */
const HEADINGS: Readonly<Record<Column, RegExp>> = {
  id: /^id$/,
  name: /^(?:(?:device|host|client)?[ _-]?name|device|host|client|description)$/,
  kind: /^(?:(?:device[ _-]?)?(?:kind|type)|category)$/,
  adapters:
    /^(?:adapters?|macs?|(?:(?:mac|hardware|physical|ethernet|hw)[ _-]?)addr(?:ess)?(?:es)?|hwaddr|mac[ _-]?id)$/,
  groups: /^(?:(?:device[ _-]?)?groups?|tags?|belongs to|owner|person|user)$/,
  shielded: /^(?:shielded|never[ _-]?blocked)$/,
  note: /^(?:notes?|comments?|remarks?)$/,
}
const columnOf = (heading: string): string =>
  COLUMNS.find((column) => HEADINGS[column].test(heading)) ?? heading

/** Whether a text begins with the heading of such a list. */
export function isDeviceList(head: string): boolean {
  return headingOf(head) !== null
}

/**
 * Reads such a list, with commas, semicolons or tabs between its values. Never throws; a row that cannot be
 * read is told with its line, and the others still count.
 */
export function readDevices(
  text: string,
  progress: (done: number) => void,
): { rows: DeviceRow[]; unread: Unread[] } {
  const rows: DeviceRow[] = []
  const unread: Unread[] = []
  const lineAt = lineCounter(text)
  const { columns, delimiter, newline } = headingOf(text)!
  unread.push(
    ...columns
      .filter((name) => !COLUMNS.includes(name as Column))
      .map((name) => ({
        line: 1,
        text: name,
        message: `“${name}” is not one of the columns ${COLUMNS.join(', ')}, so it is left aside.`,
      })),
  )
  let from = 0
  Papa.parse<string[]>(text, {
    delimiter,
    newline,
    step: ({ data, meta: { cursor } }) => {
      const line = lineAt(from)
      from = cursor
      if (rows.length % 1000 === 999) progress(cursor / text.length)
      if (line === 1 || (data.length === 1 && data[0]!.trim() === '')) return
      const read = rowOf(columns, data, line)
      if ('device' in read) rows.push(read)
      else unread.push({ line, text: data.join(', ').slice(0, 200), message: read.message })
    },
  })
  return { rows, unread }
}

function rowOf(
  columns: readonly string[],
  data: readonly string[],
  line: number,
): DeviceRow | { message: string } {
  if (data.length !== columns.length)
    return { message: `This row has ${data.length} values, the heading ${columns.length}.` }
  const said = new Map(
    columns.map((column, index): [string, string] => [column, data[index]!.replace(/^'/, '')]),
  )
  const yes = said.get('shielded')?.trim().toLowerCase()
  if (yes !== undefined && !/^(yes|no|true|false|1|0|)$/.test(yes))
    return { message: `“${yes}” in the column shielded is neither yes nor no.` }
  const faults: Fault[] = []
  const read = deviceForm(
    {
      name: said.get('name'),
      kind: said.get('kind')?.trim().toLowerCase() || 'other',
      note: said.get('note') ?? '',
      shielded: /^(yes|true|1)$/.test(yes ?? ''),
      adapters: split(said.get('adapters')!).map((part) => {
        // The last word says the medium, where it is one.
        const words = part.trim().split(/\s+/)
        const medium = words.length > 1 && /^[a-z]+$/i.test(words.at(-1)!) ? words.pop()! : 'other'
        return { mac: words.join(' '), medium: medium.toLowerCase() }
      }),
    },
    '',
    faults,
  )
  if (faults.length > 0)
    return {
      message: faults.map(({ path, message }) => `The ${path.replace(/\[.*/, '')} ${message}.`).join(' '),
    }
  const { name, adapters, ...rest } = read
  const given = Object.fromEntries(Object.entries(rest).filter(([column]) => said.has(column)))
  return {
    line,
    id: said.get('id')?.trim() || null,
    device: { name, adapters, ...given },
    groups: said.has('groups') ? split(said.get('groups')!) : null,
  }
}

/** Gives the number of the line at rising offsets of a text; lines within quotes count too. */
function lineCounter(text: string): (offset: number) => number {
  let [line, at] = [1, 0]
  return (offset) => {
    for (; at < offset; at++) if (text[at] === '\n' || (text[at] === '\r' && text[at + 1] !== '\n')) line++
    return line
  }
}

/**
 * The heading of such a list and how its values and lines are parted; `null` where the text does not begin
 * with one.
 */
function headingOf(
  text: string,
): { columns: string[]; delimiter: string; newline: '\r\n' | '\n' | '\r' } | null {
  const [heading = '', newline = '\n'] = /^[^\r\n]{0,500}(?=(\r\n|\n|\r)?)/.exec(text) ?? []
  for (const delimiter of [',', ';', '\t']) {
    const columns = (Papa.parse<string[]>(heading, { delimiter }).data[0] ?? []).map((name) =>
      columnOf(name.trim().toLowerCase()),
    )
    if (columns.includes('name') && columns.includes('adapters'))
      return { columns, delimiter, newline: newline as '\n' }
  }
  return null
}

/**
 * A value that no spreadsheet takes for a formula; what begins with an apostrophe already gets a second one,
 * so that one can always be taken off.
 */
export const guard = (value: string) => (/^['=+\-@\t\r\n]/.test(value) ? `'${value}` : value)
function split(text: string): string[] {
  return [...text.matchAll(/(?:\\[\s\S]|[^;\\])+/g)]
    .map(([part]) => part.trim().replace(/\\([\s\S])/g, '$1'))
    .filter((part) => part !== '')
}
