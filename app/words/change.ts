import type { Entry } from '../../core/change/entries.ts'
import type { AccessDifference, DeviceChange, Turn } from '../../core/change/hours.ts'
import { listWords } from './rule.ts'

const KIND: Readonly<Record<Entry['kind'], string>> = {
  device: 'The device', network: 'The network', group: 'The group', schedule: 'The schedule', siteList: 'The list', app: 'The app', rule: 'The rule', place: 'The place', order: 'The order of the rules',
}

const FIELD: Readonly<Record<string, string>> = {
  name: 'its name', kind: 'what it is', groups: 'its groups', adapters: 'its adapters', shielded: 'whether it is shielded', note: 'its note', members: 'who is in it', interfaces: 'its interfaces', subnets: 'its subnets', week: 'its hours', exceptions: 'its exceptions',
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

/** What edits do to the next seven days: "14 more hours of access and 2 fewer over the next 7 days, on 5 devices". */
export function effectWords(changes: readonly DeviceChange[]): string {
  if (changes.length === 0) return 'Changes nobody’s access over the next 7 days.'
  const sum = (part: keyof AccessDifference) => hours(changes.reduce((all, change) => all + change[part], 0))
  const [opened, closed, listed, unlisted] = (['opened', 'closed', 'listed', 'unlisted'] as const).map(sum) as [number, number, number, number]
  const count = (value: number, words: string) => value === 0 ? [] : [`${value} ${words}`]
  const hour = (value: number) => value === 1 ? 'hour' : 'hours'
  const parts = [
    ...count(opened, `more ${hour(opened)} of access`), ...count(closed, `fewer ${hour(closed)} of access`),
    ...count(listed, `${hour(listed)} go from blocked to listed sites only`), ...count(unlisted, `${hour(unlisted)} go from listed sites only to blocked`),
  ]
  const devices = `${changes.length} ${changes.length === 1 ? 'device' : 'devices'}`
  if (parts.length === 0) return `Blocks nobody more or less over the next 7 days, but changes what is partly blocked on ${devices}.`
  return `${listWords(parts)} over the next 7 days, on ${devices}.`
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

/** Hours to read: tenths below ten, whole ones above; more than nothing is never shown as nothing. */
function hours(seconds: number): number {
  const value = seconds / 3600
  return value === 0 ? 0 : Math.max(0.1, value < 10 ? Math.round(value * 10) / 10 : Math.round(value))
}
