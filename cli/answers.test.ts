import { readFileSync } from 'node:fs'
import { describe, expect, test } from 'vitest'
import { readDestination, type Destination } from '../core/destination/destination.ts'
import { readPolicy } from '../core/policy/read.ts'
import type { Policy } from '../core/policy/types.ts'
import { readMoment } from '../core/time/instant.ts'
import { check, timeline, type CheckRow, type TimelineAnswer } from './answers.ts'

interface Vectors {
  policy: unknown
  cases: { note: string; at: string; device: string; network?: string; to?: string; expect: CheckRow }[]
  timelines: { device: string; from: string; until: string; expect: TimelineAnswer['devices'][number] }[]
}
interface RandomVectors {
  policy: unknown
  network: string | null
  check: { at: string[]; devices: string[]; to: string; moments: unknown[] }
  bounds: { at: string; device: string; since: string | null; until: string | null }
  timeline: { from: string; until: string; devices: string[]; expect: TimelineAnswer['devices'] }
}

const load = (name: string) =>
  JSON.parse(readFileSync(new URL(`../tests/vectors/${name}`, import.meta.url), 'utf8')) as unknown
const bindery = load('bindery.json') as Vectors
const random = load('random.json') as RandomVectors[]
const unknown = (name: string) => {
  throw new Error(`unknown: ${name}`)
}

function policyOf(value: unknown): Policy {
  const read = readPolicy(value)
  if ('faults' in read) throw new Error(JSON.stringify(read.faults))
  return read.policy
}

function destinationOf(text: string): Destination {
  const read = readDestination(text)
  if ('fault' in read) throw new Error(read.fault)
  return read
}

test('the cases are there', () => {
  expect([bindery.cases.length > 10, bindery.timelines.length > 0, random.length]).toEqual([true, true, 10])
})

describe('bindery', () => {
  const policy = policyOf(bindery.policy)
  const instant = (text: string) => readMoment(text, policy.place.timeZone, 0)!

  test.each(bindery.cases)('$note: $device at $at', ({ at, device, network = null, to, expect: row }) => {
    expect(
      check(
        policy,
        [instant(at)],
        { names: [device], network },
        to === undefined ? null : destinationOf(to),
        unknown,
      ).moments[0]!.devices,
    ).toEqual([row])
  })

  test.each(bindery.timelines)('$device from $from', ({ device, from, until, expect: row }) => {
    expect(
      timeline(policy, instant(from), instant(until), { names: [device], network: null }, unknown).devices,
    ).toEqual([row])
  })
})

describe.each(random.map((vectors, index) => ({ ...vectors, index })))('random policy $index', (vectors) => {
  const policy = policyOf(vectors.policy)
  const { network } = vectors
  const instant = (text: string) => readMoment(text, policy.place.timeZone, 0)!

  test('check', () => {
    const { at, devices, to, moments } = vectors.check
    const answer = check(policy, at.map(instant), { names: devices, network }, destinationOf(to), unknown)
    expect(
      answer.moments.map((moment) => ({
        ...moment,
        devices: moment.devices.map(({ since: _since, until: _until, ...row }) => row),
      })),
    ).toEqual(moments)
  })

  test('bounds', () => {
    const { at, device, since, until } = vectors.bounds
    const row = check(policy, [instant(at)], { names: [device], network }, null, unknown).moments[0]!
      .devices[0]!
    expect({ since: since && row.since, until: until && row.until }).toEqual({ since, until })
  })

  test('timeline', () => {
    const { from, until, devices, expect: rows } = vectors.timeline
    expect(
      timeline(policy, instant(from), instant(until), { names: devices, network }, unknown).devices,
    ).toEqual(rows)
  })
})
