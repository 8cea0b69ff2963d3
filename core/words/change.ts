import { HOUR } from '../time/duration.ts'
import type { ChangeCounts, Entry } from '../change/entries.ts'
import { ENTRY_KINDS } from '../policy/kinds.ts'
import type { AccessDifference, DeviceChange, GainOrLoss } from '../change/hours.ts'
import type { Adapter, Allowance, Exception, Policy, What, When, Who } from '../policy/types.ts'
import { adapterWords } from './device.ts'
import { allowanceWords, whatWords, whenRuleWords, whoWords } from './rule.ts'
import { countWords, listWords, plural } from './count.ts'
import { weekTextWords } from './week.ts'

const KIND: Readonly<Record<Entry['kind'], string>> = {
  device: 'Device',
  network: 'Network',
  group: 'Group',
  schedule: 'Schedule',
  siteList: 'List',
  app: 'App',
  rule: 'Rule',
  place: 'Settings',
  order: 'Order of the rules',
}

/**
 * Says in one line how many entries of each kind differ; '' where none does.
 *
 * @example countsWords({ rule: 2, schedule: 1, place: 1 }) // '2 rules, 1 schedule, settings'
 */
export function countsWords(counts: ChangeCounts): string {
  return (Object.keys(KIND) as Entry['kind'][])
    .toSorted((a, b) => (counts[b] ?? 0) - (counts[a] ?? 0))
    .flatMap((kind) => {
      const [count, word] = [counts[kind], KIND[kind].toLowerCase()]
      if (count === undefined) return []
      return kind in ENTRY_KINDS ? [countWords(count, word)] : [word]
    })
    .join(', ')
}

const FIELD: Readonly<Record<string, string>> = {
  name: 'its name',
  kind: 'its kind',
  groups: 'its groups',
  adapters: 'its network adapters',
  shielded: 'whether it is never blocked',
  note: 'its note',
  members: 'its devices',
  person: 'whether it is a person',
  interfaces: 'its interfaces',
  subnets: 'its subnets',
  week: 'its time ranges',
  exceptions: 'its exceptions',
  entries: 'its entries',
  sites: 'its sites',
  services: 'its services',
  category: 'its category',
  enabled: 'whether it is on',
  logOnly: 'whether it only logs',
  effect: 'whether it blocks or allows',
  who: 'who it applies to',
  what: 'what it covers',
  when: 'when it is active',
  after: 'its allowance',
  timeZone: 'its time zone',
}

/** Keys of an entry in words: "its name, its note". */
export const fieldWords = (fields: readonly string[]) =>
  fields.map((field) => FIELD[field] ?? field).join(', ')

/** The word for a changed key before its old and new value. */
const VALUE: Readonly<Record<string, string>> = {
  shielded: 'never blocked',
  members: 'devices',
  person: 'is a person',
  week: 'time ranges',
  entries: 'sites',
  enabled: 'on',
  logOnly: 'log only',
  who: 'applies to',
  what: 'covers',
  when: 'active',
  after: 'allowance',
  timeZone: 'time zone',
  adapters: 'network adapters',
}
const LISTED = 4

/**
 * An entry that differs between two policies in words, a line for each key: "Rule “Quiet bench” applies to:
 * Apprentices → Apprentices, except Bench tablet".
 */
export function entryWords(
  { kind, id, name, change, fields }: Entry,
  before: Policy,
  after: Policy,
): string[] {
  if (kind === 'order') return ['The order of the rules changes']
  const subject = `${KIND[kind]} “${name}”`
  if (change === 'added') return [`${subject} is new`]
  if (change === 'removed') return [`${subject} is deleted`]
  const entryIn = (policy: Policy) =>
    (kind === 'place'
      ? policy.place
      : (policy[`${kind}s`] as readonly { readonly id: string }[]).find(
          (one) => one.id === id,
        )) as unknown as Readonly<Record<string, unknown>>
  const [was, is] = [entryIn(before), entryIn(after)]
  return fields.map((field) => {
    const [old, now] = [was[field], is[field]]
    const values =
      Array.isArray(old) && Array.isArray(now)
        ? listChange(
            old.map((one) => itemWords(one, before)),
            now.map((one) => itemWords(one, after)),
          )
        : `${valueWords(field, old, before)} → ${valueWords(field, now, after)}`
    return `${subject} ${VALUE[field] ?? field}: ${values}`
  })
}

function listChange(old: readonly string[], now: readonly string[]): string {
  const [before, after] = [new Set(old), new Set(now)]
  const part = (word: string, list: readonly string[]) =>
    list.length === 0
      ? []
      : [
          `${word} ${list.slice(0, LISTED).join(', ')}${list.length > LISTED ? ` and ${list.length - LISTED} more` : ''}`,
        ]
  const parts = [
    ...part(
      'added',
      now.filter((one) => !before.has(one)),
    ),
    ...part(
      'removed',
      old.filter((one) => !after.has(one)),
    ),
  ]
  return parts.length === 0 ? 'in another order' : parts.join('; ')
}

function itemWords(item: unknown, { devices }: Policy): string {
  if (typeof item === 'string') return devices.find(({ id }) => id === item)?.name ?? item
  if (typeof item !== 'object' || item === null) return String(item)
  if ('mac' in item) return adapterWords(item as Adapter)
  const { from, until, hours, name } = item as Exception
  return `${name === '' ? '' : `${name}, `}${from}${until === from ? '' : ` to ${until}`} ${hours === 'off' ? 'no time range' : hours}`
}

function valueWords(field: string, value: unknown, policy: Policy): string {
  if (field === 'who') return whoWords(value as Who, policy).replace(/,$/, '')
  if (field === 'what') return whatWords(value as What, policy)
  if (field === 'week') return weekTextWords(String(value))
  if (field === 'after') return value === null ? 'none' : allowanceWords(value as Allowance)
  if (field === 'when') return whenRuleWords(value as When, policy)
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  return value === '' ? 'none' : String(value)
}

/**
 * "3 edits are not live."
 *
 * @example editsWords(3) // '3 changes not live'
 */
export function editsWords(count: number): string {
  return countWords(count, 'change not live', 'changes not live')
}

/**
 * Returns the effect of edits on the next seven days in words: "14 more hours of access and 2 fewer over the
 * next 7 days, on 5 devices".
 */
export function effectWords(changes: readonly DeviceChange[]): string {
  if (changes.length === 0) return 'Changes nobody’s access over the next 7 days.'
  const sum = (part: keyof AccessDifference) => hours(changes.reduce((all, change) => all + change[part], 0))
  const [opened, closed, listed, unlisted, partly] = (
    ['opened', 'closed', 'listed', 'unlisted', 'partly'] as const
  ).map(sum) as [number, number, number, number, number]
  const count = (value: number, words: string) => (value === 0 ? [] : [`${value} ${words}`])
  const hour = (value: number) => plural(value, 'hour', 'hours')
  const parts = [
    ...count(opened, `more ${hour(opened)} of access`),
    ...count(closed, `fewer ${hour(closed)} of access`),
    ...count(listed, `${hour(listed)} go from blocked to listed sites only`),
    ...count(unlisted, `${hour(unlisted)} go from listed sites only to blocked`),
    ...count(partly, `${hour(partly)} in which other sites or services are blocked`),
  ]
  const devices = countWords(changes.length, 'device')
  return `${listWords(parts)} over the next 7 days, on ${devices}.`
}

/**
 * Returns the devices that lose or gain access within the next hour in words: "Within the hour, Bench tablet
 * loses access (at 14:00) and two more gain it." `time` says an instant in words.
 */
export function turnWords(
  turns: readonly GainOrLoss[],
  nameOf: (device: string) => string,
  time: (at: number) => string,
): string {
  const part = (gains: boolean | null) => {
    const list = turns.filter((turn) => turn.gains === gains)
    const names = list.slice(0, 4).map(({ device, at }) => `${nameOf(device)} (${time(at)})`)
    const all =
      list.length > names.length
        ? `${names.join(', ')} and ${list.length - names.length} more`
        : listWords(names)
    if (list.length === 0) return ''
    if (gains === null) return `other sites or services are blocked for ${all}`
    return `${all} ${gains ? plural(list.length, 'gains', 'gain') : plural(list.length, 'loses', 'lose')} access`
  }
  const parts = [part(false), part(true), part(null)].filter(Boolean)
  return parts.length === 0
    ? 'Nobody’s access changes within the next hour.'
    : `Within the next hour ${parts.join('; ')}.`
}

/** Hours to read: tenths below ten, whole ones above; more than nothing is never shown as nothing. */
function hours(seconds: number): number {
  const value = seconds / HOUR
  return value === 0 ? 0 : Math.max(0.1, value < 10 ? Math.round(value * 10) / 10 : Math.round(value))
}
