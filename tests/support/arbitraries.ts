import fc from 'fast-check'
import { readPolicy } from '../../core/policy/read.ts'
import type { Policy } from '../../core/policy/types.ts'
import { instantText } from '../../core/time/instant.ts'

/**
 * Zones that change by a whole hour, by half an hour, on the other half of the globe, over midnight, and
 * never.
 */
export const ZONES = [
  'Europe/Lisbon',
  'Australia/Lord_Howe',
  'America/Santiago',
  'Asia/Kathmandu',
  'Africa/Cairo',
  'Pacific/Chatham',
  'America/St_Johns',
  'UTC',
]

const clock = (minutes: number) =>
  `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`

/** A window's text: of any length up to 24 hours, over midnight in either notation. */
export const windowText = fc
  .tuple(fc.integer({ min: 0, max: 1439 }), fc.integer({ min: 1, max: 1440 }), fc.boolean())
  .map(([start, length, past]) => {
    const end = start + length
    return `${clock(start)}-${clock(end > 1440 && length < 1440 && !past ? end - 1440 : end)}`
  })
const timesText = fc.oneof(
  {
    weight: 5,
    arbitrary: fc.array(windowText, { minLength: 1, maxLength: 3 }).map((list) => list.join(',')),
  },
  { weight: 1, arbitrary: fc.constant('off') },
)
const day = fc.constantFrom('Mo', 'Tu', 'We', 'Th', 'Fr', 'Sa', 'Su')
const daysText = fc
  .array(
    fc.oneof(
      day,
      fc.tuple(day, day).map((pair) => pair.join('-')),
    ),
    { minLength: 1, maxLength: 3 },
  )
  .map((list) => list.join(','))
/** Week text of the whole grammar. */
export const weekTexts = fc.oneof(
  { weight: 1, arbitrary: fc.constantFrom('off', '24/7') },
  {
    weight: 8,
    arbitrary: fc
      .array(
        fc
          .tuple(fc.option(daysText, { nil: '' }), timesText)
          .map(([days, times]) => `${days} ${times}`.trim()),
        { minLength: 1, maxLength: 3 },
      )
      .map((parts) => parts.join('; ')),
  },
)

/**
 * A span of seconds around the clock changes of 2026 in most zones: spring and autumn of either hemisphere,
 * with dates beside them.
 */
export const instants = fc.oneof(
  ...[
    '2026-03-29',
    '2026-04-05',
    '2026-04-24',
    '2026-09-06',
    '2026-09-27',
    '2026-10-04',
    '2026-10-25',
    '2026-10-30',
    '2026-11-01',
    '2026-12-24',
  ].map((date) => {
    const middle = Date.parse(`${date}T00:00Z`) / 1000
    return fc.integer({ min: middle - 2 * 86400, max: middle + 2 * 86400 })
  }),
)

const exceptionDates = fc.constantFrom(
  '2026-03-28',
  '2026-03-29',
  '2026-03-30',
  '2026-04-04',
  '2026-04-05',
  '2026-10-03',
  '2026-10-04',
  '2026-10-24',
  '2026-10-25',
  '2026-10-26',
  '2026-12-24',
)
const exception = fc
  .record({
    dates: fc.tuple(exceptionDates, exceptionDates),
    hours: fc.oneof(timesText, fc.constant('24/7')),
    name: fc.constantFrom('', 'Midwinter'),
  })
  .map(({ dates, ...rest }) => ({ from: [...dates].sort()[0]!, until: [...dates].sort()[1]!, ...rest }))
/** A schedule's hours with exceptions on and beside the clock changes. */
export const schedules = fc.record({ week: weekTexts, exceptions: fc.array(exception, { maxLength: 2 }) })

const some = (ids: readonly string[]) => fc.subarray([...ids], { maxLength: Math.min(2, ids.length) })
const DEVICES = ['d0', 'd1', 'd2', 'd3']
const named = { devices: some(DEVICES), groups: some(['g0', 'g1']), networks: some(['n0', 'n1']) }
const whoFields = { everyone: fc.boolean(), newcomers: fc.boolean(), ...named, except: fc.record(named) }
const who = fc.record(whoFields)
/** An unknown device that overrides may name by its address; another address belongs to a device. */
export const NAMED_NEWCOMER = '02:aa:bb:00:00:7e'
const overrideWho = fc.record({ ...whoFields, macs: some([NAMED_NEWCOMER, '02:00:5e:00:00:02']) })
const what = fc.oneof(
  fc.constant({ internet: true }),
  fc.record({
    sites: some(['clipriver.example', '203.0.113.0/24']),
    siteLists: some(['l0']),
    keywords: some(['stream', 'büch']),
    apps: some(['a0']),
    categories: some(['games']),
    services: some(['tcp/443', 'udp/*']),
  }),
)
const quarter = fc
  .tuple(exceptionDates, fc.integer({ min: 0, max: 95 }))
  .map(([date, index]) => `${date}T${clock(index * 15)}`)
const once = fc
  .tuple(quarter, quarter)
  .filter(([a, b]) => a !== b)
  .map((pair) => [...pair].sort())
  .map(([from, until]) => ({ from: from!, until: until! }))
const when = fc.oneof(
  fc.constant({ always: true }),
  fc.record({ schedules: fc.subarray(['s0', 's1'], { minLength: 1 }), outside: fc.boolean() }),
  once,
)
const effect = fc.constantFrom('block', 'allow')
const amount = fc.oneof(
  fc.record({ minutes: fc.integer({ min: 1, max: 600 }) }),
  fc.record({ megabytes: fc.integer({ min: 1, max: 5000 }) }),
)
const allowance = fc
  .tuple(
    amount,
    fc.record({
      per: fc.constantFrom('day', 'week'),
      from: fc.constantFrom('00:00', '01:30', '04:00'),
      shared: fc.boolean(),
    }),
  )
  .map(([much, period]) => ({ ...much, ...period }))
/** Times at which allowances were used up: of any rule, by anybody. */
const spent = fc.record({
  rule: fc.nat(),
  who: fc.constantFrom(
    ...[...DEVICES].map((device) => ({ device })),
    { mac: NAMED_NEWCOMER },
    { device: null, mac: null },
  ),
  from: instants,
  length: fc.integer({ min: 1, max: 300_000 }),
})
const rule = fc.record({
  enabled: fc.oneof({ weight: 4, arbitrary: fc.constant(true) }, fc.constant(false)),
  logOnly: fc.oneof({ weight: 6, arbitrary: fc.constant(false) }, fc.constant(true)),
  effect,
  who,
  what,
  when,
  after: fc.option(allowance),
})
const override = fc.record({
  effect,
  who: overrideWho,
  what: fc.option(what),
  more: fc.option(amount, { freq: 1 }),
  from: instants,
  length: fc.option(fc.integer({ min: 1, max: 100_000 })),
})

const isPart = (what: object | null) => what !== null && !('internet' in what)

/** Documents of small policies that are free of faults. */
export const documents = fc
  .record({
    zone: fc.constantFrom(...ZONES),
    s0: schedules,
    s1: schedules,
    rules: fc.array(rule, { maxLength: 6 }),
    overrides: fc.array(override, { maxLength: 2 }),
    spent: fc.array(spent, { maxLength: 6 }),
  })
  .map(({ zone, s0, s1, rules, overrides, spent }) => ({
    kairostat: 1,
    place: { name: 'Test', timeZone: zone },
    devices: DEVICES.map((id, index) => ({
      id,
      name: id,
      adapters: [{ mac: `02:00:5e:00:00:0${index}`, medium: 'wifi' }],
      shielded: index === 3,
    })),
    networks: [
      { id: 'n0', name: 'N0', interfaces: ['br-guest'] },
      { id: 'n1', name: 'N1', subnets: ['192.0.2.128/25'] },
    ],
    groups: [
      { id: 'g0', name: 'G0', members: ['d0', 'd1'] },
      { id: 'g1', name: 'G1', members: ['d1', 'd2'] },
    ],
    schedules: [
      { id: 's0', name: 'S0', ...s0 },
      { id: 's1', name: 'S1', ...s1 },
    ],
    siteLists: [{ id: 'l0', name: 'L0', entries: ['wiki.example'] }],
    apps: [{ id: 'a0', name: 'A0', category: 'games', sites: ['arena.example'], services: ['tcp/5222'] }],
    rules: rules.map((entry, index) => ({
      id: `r${index}`,
      name: `R${index}`,
      ...entry,
      after: entry.effect === 'block' && 'internet' in entry.what && !entry.logOnly ? entry.after : null,
    })),
    overrides: overrides.map(({ from, length, ...entry }, index) => ({
      id: `o${index}`,
      ...entry,
      more: entry.effect === 'allow' && !isPart(entry.what) ? entry.more : null,
      from: instantText(from),
      until: length === null ? null : instantText(from + length),
    })),
    spent:
      rules.length === 0
        ? []
        : spent.map(({ rule, who, from, length }) => ({
            rule: `r${rule % rules.length}`,
            ...who,
            from: instantText(from),
            until: instantText(from + length),
          })),
  }))

/** The policies of `documents`, read. */
export const policies = documents.map(policyOf)

/** Reads a document that must be free of faults. */
export function policyOf(value: unknown): Policy {
  const read = readPolicy(value)
  if ('faults' in read) throw new Error(JSON.stringify(read.faults))
  return read.policy
}
