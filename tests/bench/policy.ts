import prand from 'pure-rand'
import { readPolicy } from '../../core/policy/read.ts'
import type { Policy } from '../../core/policy/types.ts'

const clock = (minutes: number) =>
  `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`

/**
 * A policy of the given size, the same for the same seed: rules of every kind of who, what and when, half a
 * dozen of them for everyone.
 */
export function largePolicy({
  devices,
  rules,
  schedules,
  seed,
}: {
  devices: number
  rules: number
  schedules: number
  seed: number
}): Policy {
  const generator = prand.xoroshiro128plus(seed)
  const below = (bound: number) => prand.unsafeUniformIntDistribution(0, bound - 1, generator)
  const ids = (prefix: string, count: number) =>
    Array.from({ length: count }, (_, index) => `${prefix}${index}`)
  const some = (all: readonly string[], count: number) => [
    ...new Set(Array.from({ length: count }, () => all[below(all.length)]!)),
  ]
  const deviceIds = ids('d', devices)
  const groupIds = ids('g', 40)
  const scheduleIds = ids('s', schedules)
  const window = () => {
    const start = below(96) * 15
    return `${clock(start)}-${clock((start + 15 + below(60) * 15) % 1440)}`
  }
  const week = () => ['Mo-Fr', 'Sa,Su'].map((days) => `${days} ${[window(), window()].join(',')}`).join('; ')
  const when = (index: number) => {
    if (index % 10 === 0) return { always: true }
    if (index % 10 === 1)
      return { from: `2026-11-${10 + below(18)}T10:00`, until: `2026-12-${10 + below(18)}T18:30` }
    return { schedules: some(scheduleIds, 1 + below(2)), outside: below(4) === 0 }
  }
  const read = readPolicy({
    kairostat: 1,
    place: { name: 'Large', timeZone: 'Europe/Lisbon' },
    devices: deviceIds.map((id, index) => ({
      id,
      name: `Device ${index}`,
      kind: 'phone',
      adapters: [
        {
          mac: `02:00:5e:${[index >> 16, index >> 8, index].map((byte) => (byte & 255).toString(16).padStart(2, '0')).join(':')}`,
          medium: 'wifi',
        },
      ],
    })),
    groups: groupIds.map((id) => ({ id, name: id, members: some(deviceIds, devices / 10) })),
    schedules: scheduleIds.map((id) => ({
      id,
      name: id,
      week: week(),
      exceptions: [{ from: '2026-12-24', until: '2026-12-26', hours: window() }],
    })),
    rules: Array.from({ length: rules }, (_, index) => ({
      id: `r${index}`,
      name: `Rule ${index}`,
      effect: below(3) === 0 ? 'allow' : 'block',
      who:
        index % 16 === 5
          ? { everyone: true }
          : {
              groups: some(groupIds, 3),
              devices: some(deviceIds, 10),
              except: { devices: some(deviceIds, 5) },
            },
      // Of a hundred rules a dozen speak of the whole internet, towards the end: what stands before them
      // makes the clauses.
      what: index > rules * 0.6 && index % 4 === 0 ? { internet: true } : { sites: [`site${index}.example`] },
      when: when(index),
    })),
    overrides: some(deviceIds, 10).map((id, index) => ({
      id: `o${index}`,
      effect: index % 2 ? 'allow' : 'block',
      who: { devices: [id] },
      from: `2026-11-2${index % 10}T10:00:00Z`,
      until: `2026-11-3${index % 1}T10:00:00Z`,
    })),
  })
  if ('faults' in read) throw new Error(JSON.stringify(read.faults.slice(0, 3)))
  return read.policy
}
