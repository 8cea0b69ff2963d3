import type { Entry } from '../../core/change/entries.ts'
import type { DeviceChange, Turn } from '../../core/change/hours.ts'
import { listWords } from './rule.ts'

const KIND: Readonly<Record<Entry['kind'], string>> = {
  device: 'The device', group: 'The group', schedule: 'The schedule', siteList: 'The list', app: 'The app', rule: 'The rule', place: 'The place', order: 'The order of the rules',
}

const FIELD: Readonly<Record<string, string>> = {
  name: 'its name', kind: 'what it is', groups: 'its groups', adapters: 'its adapters', shielded: 'whether it is shielded', note: 'its note', members: 'who is in it', week: 'its hours', exceptions: 'its exceptions',
  entries: 'its entries', sites: 'its sites', services: 'its services', category: 'its category', enabled: 'whether it is switched on', logOnly: 'whether it is only logged', effect: 'whether it blocks or allows',
  who: 'whom it meets', what: 'what it speaks of', when: 'when it is in force', timeZone: 'its time zone',
}

/** Keys of an entry in words: "its name, its note". */
export const fieldWords = (fields: readonly string[]) => fields.map(field => FIELD[field] ?? field).join(', ')

/** One edit in words: "The schedule “Night” is new.", "The device “Bench tablet” changes its name." */
export function entryWords({ kind, name, change, fields }: Entry): string {
  if (kind === 'order') return 'The order of the rules changes.'
  const subject = `${KIND[kind]} “${name}”`
  if (change === 'added') return `${subject} is new.`
  if (change === 'removed') return `${subject} goes.`
  return `${subject} changes ${fieldWords(fields)}.`
}

/** "3 edits are not live." */
export function editsWords(count: number): string {
  return count === 1 ? '1 edit is not live.' : `${count} edits are not live.`
}

/** What edits do to the coming week: "They open 14 device-hours of the coming week and close 2.", of one edit "It opens …". */
export function effectWords(changes: readonly DeviceChange[], one = false): string {
  const opened = hours(changes.reduce((sum, change) => sum + change.opened, 0))
  const closed = hours(changes.reduce((sum, change) => sum + change.closed, 0))
  if (opened === '0' && closed === '0') return changes.length === 0 ? `${one ? 'It changes' : 'They change'} nobody’s coming week.` : `${one ? 'It blocks and opens' : 'They block and open'} nobody in the coming week, but ${one ? 'filters' : 'filter'} otherwise.`
  const parts = [opened === '0' ? '' : `open${one ? 's' : ''} ${opened}`, closed === '0' ? '' : `close${one ? 's' : ''} ${closed}`].filter(Boolean)
  return `${one ? 'It' : 'They'} ${parts.join(' and ')} device-hours of the coming week.`
}

/** Who loses or gains access within the next hour: "Within the hour, Bench tablet loses access (at 14:00) and two more gain it." `time` says an instant in words. */
export function turnWords(turns: readonly Turn[], nameOf: (device: string) => string, time: (at: number) => string): string {
  const part = (gains: boolean) => {
    const list = turns.filter(turn => turn.gains === gains)
    const names = list.slice(0, 4).map(({ device, at }) => `${nameOf(device)} (${time(at)})`)
    const all = list.length > names.length ? `${names.join(', ')} and ${list.length - names.length} more` : listWords(names)
    return list.length === 0 ? '' : `${all} ${list.length === 1 ? (gains ? 'gains' : 'loses') : gains ? 'gain' : 'lose'} access`
  }
  const parts = [part(false), part(true)].filter(Boolean)
  return parts.length === 0 ? 'Nobody loses or gains access within the next hour.' : `Within the next hour ${parts.join('; ')}.`
}

function hours(seconds: number): string {
  const value = seconds / 3600
  return value === 0 ? '0' : value < 10 ? String(Math.round(value * 10) / 10) : String(Math.round(value))
}
