import Papa from 'papaparse'
import type { Group, Policy } from '../policy/types.ts'
import { type Column, COLUMNS, guard } from '../import/device-csv.ts'

/**
 * Writes a policy's devices as CSV (RFC 4180) with a heading. A value that a spreadsheet would take for a
 * formula gets an apostrophe before it, which is taken off in reading.
 */
export function writeDevices({ devices, groups }: Policy): string {
  const rows = devices.map((device): Record<Column, string> => ({
    ...device,
    adapters: device.adapters.map(({ mac, medium }) => `${mac} ${medium}`).join('; '),
    groups: groups
      .filter(({ members }) => members.includes(device.id))
      .map((group) => escape(labelOf(group, groups)))
      .join('; '),
    shielded: device.shielded ? 'yes' : 'no',
  }))
  return `${Papa.unparse({ fields: [...COLUMNS], data: rows.map((row) => COLUMNS.map((column) => guard(row[column]))) })}\r\n`
}

// A list within a value: parted by semicolons, which a backslash before them makes part of a name.
const escape = (name: string) => name.replace(/[\\;]/g, '\\$&')

/** The name of a group, or its id where another has that name too or as its id. */
function labelOf({ id, name }: Group, groups: readonly Group[]): string {
  return groups.some((other) => other.id !== id && (other.name === name || other.id === name)) ? id : name
}
