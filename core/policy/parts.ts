import { isLocal, readDate, readInstant, instantText } from '../time/instant.ts'
import { exceptionHoursText, readExceptionHours, readWeek, weekText } from '../time/week.ts'
import type { Read } from '../time/week-tokens.ts'
import { isTimeZone } from '../time/zone.ts'
import { readBlock } from '../destination/address.ts'
import { readKeyword } from '../destination/host.ts'
import { macFault, readMac } from '../destination/mac.ts'
import { readService, serviceText } from '../destination/service.ts'
import { readSite, siteFault, siteText } from '../destination/site.ts'
import { flag, list, oneOf, optional, record, show, text, type Reader } from './shape.ts'
import {
  DEVICE_KINDS,
  EFFECTS,
  MEDIUMS,
  PERIODS,
  type Adapter,
  type Allowance,
  type Amount,
  type App,
  type Device,
  type Exception,
  type Group,
  type Network,
  type Override,
  type OverrideWho,
  type Place,
  type Rule,
  type Schedule,
  type SiteList,
  type Spent,
  type What,
  type When,
  type Who,
} from './types.ts'

/** The longest name or id that a policy may hold, in UTF-16 units. */
export const NAME_LENGTH = 200

/** The format version: only 1 so far. */
export const version: Reader<1> = (value, path, faults) => {
  if (value !== 1) faults.push({ path, message: `is ${show(value)}: this program reads format version 1` })
  return 1
}

const trimmed = (value: string) =>
  value.trim() === '' || value.trim().length > NAME_LENGTH || value.includes('\0') ? null : value.trim()
export const label = text(trimmed, (value) => {
  if (value.includes('\0')) return 'holds the character NUL: leave it out'
  if (value.trim() === '') return 'is empty: give it a text'
  return `is longer than ${NAME_LENGTH} characters: shorten it`
})
/** A label that may be empty, or missing. */
const labelOrNone: Reader<string> = optional(
  (value, path, faults) => (value === '' ? '' : label(value, path, faults)),
  () => '',
)
export const id = text(
  (value) => (trimmed(value) === value ? value : null),
  () => `is not an id: write 1 to ${NAME_LENGTH} characters without blanks around them`,
)
/** The longest note, in UTF-16 units. */
const NOTE_LENGTH = 10_000
export const note = optional(
  text(
    (value) => (value.length > NOTE_LENGTH || value.includes('\0') ? null : value),
    (value) =>
      value.includes('\0')
        ? 'holds the character NUL: leave it out'
        : `is longer than ${NOTE_LENGTH} characters: shorten it`,
  ),
  () => '',
)

/** A MAC address in any usual notation. */
export const mac = text(
  (value) => {
    const read = readMac(value)
    return read && !macFault(read) ? read : null
  },
  (value) => macFault(readMac(value) ?? '') ?? 'is not a MAC address: write it like 02:5e:10:00:00:01',
)

const timeZone = text(
  (value) => (isTimeZone(value) ? value : null),
  () => 'is not a time zone: write an IANA name such as Europe/Lisbon',
)
const date = text(
  (value) => (readDate(value) === null ? null : value),
  () => 'is not a date: write it like 2026-12-24',
)
const localTime = text(
  (value) => (isLocal(value) ? value : null),
  () => 'is not a local date and time: write it like 2026-12-05T14:00',
)
export const instant = text(
  (value) => {
    const at = readInstant(value)
    return at === null ? null : instantText(at)
  },
  () => 'is not an instant: write it like 2026-11-27T20:00:00Z',
)

const site = text((value) => {
  const read = readSite(value)
  return read && siteText(read)
}, siteFault)
const keyword = text(readKeyword, () => 'is not a keyword: write one word without blanks')
const service = text(
  (value) => {
    const read = readService(value)
    return read && serviceText(read)
  },
  () => 'is not a service: write it like tcp/21, udp/3478-3481, tcp/20,21 or tcp/*@203.0.113.0/24',
)

const canonical = <T>(read: (value: string) => Read<T>, write: (value: T) => string) =>
  text(
    (value) => {
      const result = read(value)
      return 'value' in result ? write(result.value) : null
    },
    (value) => {
      const result = read(value)
      return 'fault' in result
        ? `has a fault at character ${result.fault.from + 1}. ${result.fault.message}`
        : ''
    },
  )
const week = canonical(readWeek, weekText)
const exceptionHours = canonical(readExceptionHours, exceptionHoursText)

/**
 * Adds a check over the whole of what was read, made only where its parts were free of faults; `key` is where
 * the fault stands.
 */
function checked<T>(reader: Reader<T>, fault: (value: T) => string | null, key = ''): Reader<T> {
  return (value, path, faults) => {
    const before = faults.length
    const result = reader(value, path, faults)
    const message = faults.length === before ? fault(result) : null
    if (message !== null) faults.push({ path: [path, key].filter(Boolean).join('.'), message })
    return result
  }
}

export const nullable = <T>(reader: Reader<T>): Reader<T | null> =>
  optional(
    (value, path, faults) => (value === null ? null : reader(value, path, faults)),
    () => null,
  )
export const place: Reader<Place> = record({ name: label, timeZone })

const adapter: Reader<Adapter> = record({ mac, medium: oneOf(MEDIUMS) })
const deviceFields = {
  name: label,
  kind: optional(oneOf(DEVICE_KINDS), () => 'other' as const),
  adapters: list(adapter, 64),
  shielded: flag(),
  note,
}
export const deviceForm: Reader<Omit<Device, 'id'>> = record(deviceFields)
export const device: Reader<Device> = record({ id, ...deviceFields })
const interfaceName = text(
  (value) => (/^[\w.@-]{1,15}$/.test(value) ? value : null),
  () => 'is not the name of an interface: write it like br-guest, up to 15 characters',
)
const subnet = text(
  (value) => readBlock(value)?.text ?? null,
  () => 'is not an address block: write it like 192.0.2.128/25 or 2001:db8:b::/64',
)
const networkFields = { name: label, interfaces: list(interfaceName), subnets: list(subnet), note }
const somewhere = ({ interfaces, subnets }: Omit<Network, 'id'>) =>
  interfaces.length + subnets.length > 0 ? null : 'has neither an interface nor a subnet: give at least one'
export const networkForm: Reader<Omit<Network, 'id'>> = checked(record(networkFields), somewhere)
export const network: Reader<Network> = checked(record({ id, ...networkFields }), somewhere)
const groupFields = { name: label, members: list(id), person: flag(), note }
export const groupForm: Reader<Omit<Group, 'id'>> = record(groupFields)
export const group: Reader<Group> = record({ id, ...groupFields })

const exception: Reader<Exception> = checked(
  record({ from: date, until: date, hours: exceptionHours, name: labelOrNone }),
  ({ from, until }) =>
    from > until ? `ends on ${until}, before it begins on ${from}: put the earlier date first` : null,
)
/** The most exceptions of a schedule: twenty years of holidays. */
const MOST_EXCEPTIONS = 1000
const scheduleFields = { name: label, week, exceptions: list(exception, MOST_EXCEPTIONS), note }
export const scheduleForm: Reader<Omit<Schedule, 'id'>> = record(scheduleFields)
export const schedule: Reader<Schedule> = record({ id, ...scheduleFields })

/** The most entries of a list of sites. */
const MOST_SITES = 2_000_000
const siteListFields = { name: label, entries: list(site, MOST_SITES), note }
export const siteListForm: Reader<Omit<SiteList, 'id'>> = record(siteListFields)
export const siteList: Reader<SiteList> = record({ id, ...siteListFields })
const appFields = { name: label, category: label, sites: list(site), services: list(service), note }
export const appForm: Reader<Omit<App, 'id'>> = record(appFields)
export const app: Reader<App> = record({ id, ...appFields })

/**
 * A catalogue of apps: a file of its own, with the version of its form. An id is only said where an app is to
 * be found again under another name.
 */
export const catalogue: Reader<{
  readonly 'kairostat-apps': 1
  readonly 'apps': readonly (Omit<App, 'id'> & { readonly id: string | null })[]
}> = record({ 'kairostat-apps': version, 'apps': list(record({ id: nullable(id), ...appFields })) })

const named = { devices: list(id), groups: list(id), networks: list(id) }
const whoFields = {
  everyone: flag(),
  newcomers: flag(),
  ...named,
  except: optional(record(named), () => ({ devices: [], groups: [], networks: [] })),
}
export const who: Reader<Who> = record(whoFields)

export const what: Reader<What> = checked(
  record({
    internet: flag(),
    sites: list(site),
    siteLists: list(id),
    keywords: list(keyword),
    apps: list(id),
    categories: list(label),
    services: list(service),
  }),
  ({ internet, ...lists }) =>
    internet && Object.values(lists).some((entries) => entries.length > 0)
      ? 'names the internet and lists as well: keep one of the two'
      : null,
)

interface LooseWhen {
  always: boolean
  schedules: readonly string[]
  outside: boolean
  from: string | null
  until: string | null
}
const looseWhen: Reader<LooseWhen> = checked(
  record<LooseWhen>({
    always: flag(),
    schedules: list(id),
    outside: flag(),
    from: optional<string | null>(localTime, () => null),
    until: optional<string | null>(localTime, () => null),
  }),
  ({ always, schedules, outside, from, until }) => {
    const ways = Number(always) + Number(schedules.length > 0) + Number(from !== null || until !== null)
    if (ways !== 1)
      return 'must say exactly one of: "always": true; "schedules" with at least one id; "from" and "until"'
    if (outside && schedules.length === 0) return 'says "outside" without schedules: name the schedules'
    if (schedules.length > 0 || always) return null
    if (from === null || until === null) return 'says one of "from" and "until": give both'
    return padded(from) < padded(until)
      ? null
      : `ends at ${until}, not after it begins at ${from}: put the earlier time first`
  },
)

/** Reads the times of a rule, in the one of its three forms that is given. */
export const when: Reader<When> = (value, path, faults) => {
  const { always, schedules, outside, from, until } = looseWhen(value, path, faults)
  if (always) return { always: true }
  return from && until ? { from, until } : { schedules, outside }
}

/** A whole number from 1 to `most`. */
const count =
  (most: number): Reader<number> =>
  (value, path, faults) => {
    if (Number.isInteger(value) && Number(value) >= 1 && Number(value) <= most) return Number(value)
    faults.push({ path, message: `is ${show(value)}: it must be a whole number from 1 to ${most}` })
    return 1
  }
/** The most minutes of a day and of a week, and the most megabytes. */
const [DAY_MINUTES, WEEK_MINUTES, MOST_MEGABYTES] = [1440, 10_080, 10_000_000]
/** The largest allowance of a measure and period. */
export function mostOf({
  measure,
  per,
}: {
  measure: 'minutes' | 'megabytes'
  per: Allowance['per']
}): number {
  if (measure === 'megabytes') return MOST_MEGABYTES
  return per === 'day' ? DAY_MINUTES : WEEK_MINUTES
}
const amountFields = {
  minutes: optional<number | null>(count(WEEK_MINUTES), () => null),
  megabytes: optional<number | null>(count(MOST_MEGABYTES), () => null),
}
interface LooseAmount {
  readonly minutes: number | null
  readonly megabytes: number | null
}
const oneAmount = ({ minutes, megabytes }: LooseAmount) =>
  (minutes === null) === (megabytes === null) ? 'must say one of "minutes" and "megabytes"' : null
const amountOf = ({ minutes, megabytes }: LooseAmount): Amount =>
  minutes === null ? { megabytes: megabytes ?? 1 } : { minutes }
const looseAmount = checked(record(amountFields), oneAmount)
export const amount: Reader<Amount> = (value, path, faults) => amountOf(looseAmount(value, path, faults))

const timeOfDay = text(
  (value) => (/^([01]\d|2[0-3]):[0-5]\d$/.test(value) ? value : null),
  () => 'is not a time of day: write it like 04:00',
)
const looseAllowance = checked(
  record({
    ...amountFields,
    per: oneOf(PERIODS),
    from: optional(timeOfDay, () => '00:00'),
    shared: flag(),
  }),
  (value) =>
    oneAmount(value) ??
    (value.minutes !== null && value.minutes > mostOf({ measure: 'minutes', per: value.per })
      ? `says ${value.minutes} minutes a day: a day has ${DAY_MINUTES}`
      : null),
)
export const allowance: Reader<Allowance> = (value, path, faults) => {
  const { minutes, megabytes, ...period } = looseAllowance(value, path, faults)
  return { ...amountOf({ minutes, megabytes }), ...period }
}
const allowanceFault = ({ after, effect, what, logOnly }: Omit<Rule, 'id'>) => {
  if (after === null) return null
  if (effect !== 'block' || !what.internet)
    return 'is an allowance of a rule that does not block the internet: only such a rule has one'
  return logOnly
    ? 'is an allowance of a rule with "logOnly", which never blocks: leave out one of the two'
    : null
}

const ruleFields = {
  name: label,
  enabled: flag(true),
  logOnly: flag(),
  effect: oneOf(EFFECTS),
  who,
  what,
  when,
  after: nullable(allowance),
  note,
}
export const ruleForm: Reader<Omit<Rule, 'id'>> = checked(record(ruleFields), allowanceFault, 'after')
export const rule: Reader<Rule> = checked(record({ id, ...ruleFields }), allowanceFault, 'after')

// Until lifted is said, not left out.
export const until: Reader<string | null> = (value, path, faults) =>
  value === null ? null : instant(value, path, faults)
export const overrideWho: Reader<OverrideWho> = record({ ...whoFields, macs: list(mac) })
/** The part that an override is on; the internet as a whole is `null`, written or missing. */
export const overrideWhat: Reader<What | null> = nullable<What | null>((value, path, faults) => {
  const read = what(value, path, faults)
  return read.internet === true ? null : read
})
const overrideFields = {
  effect: oneOf(EFFECTS),
  who: overrideWho,
  what: overrideWhat,
  more: nullable(amount),
  from: instant,
  until,
  note,
}
const endsLater = ({ from, until }: { readonly from: string; readonly until: string | null }) =>
  until !== null && until <= from
    ? `ends at ${until}, not after it begins at ${from}: put the earlier instant first`
    : null
const moreAllows = ({ effect, more, what }: Omit<Override, 'id'>) => {
  if (more === null) return null
  if (effect !== 'allow') return 'adds to allowances: its "effect" must be "allow"'
  return what === null ? null : 'adds to allowances, whatever they are of: leave out "what"'
}
export const override: Reader<Override> = checked(
  checked(record({ id, ...overrideFields }), endsLater),
  moreAllows,
  'more',
)

export const spent: Reader<Spent> = checked(
  record({ rule: id, device: nullable(id), mac: nullable(mac), from: instant, until: instant }),
  (value) =>
    value.device !== null && value.mac !== null
      ? 'names a device and an address: keep one'
      : endsLater(value),
)

const padded = (local: string) => (local.length === 16 ? `${local}:00` : local)
