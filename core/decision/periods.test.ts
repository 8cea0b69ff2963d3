import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { instants, policies } from '../../tests/support/arbitraries.ts'
import { compile } from './compile.ts'
import { periodStates, periodTimelines, momentsAlong, subjectOf, type PolicyPeriod } from './periods.ts'
import { REACH, standingsAt, type StateAt } from './moment.ts'

const HOUR = 3600
const DAY = 24 * HOUR
/**
 * Two to four policies one after another, the first from ever, the last for ever, and the people of them all.
 */
const histories = fc
  .tuple(fc.array(policies, { minLength: 1, maxLength: 3 }), instants)
  .map(([some, start]) => {
    const periods = some.map((policy, index): PolicyPeriod => ({
      policy,
      from: index === 0 ? -Infinity : start + index * 5 * HOUR + 17,
      until: index === some.length - 1 ? Infinity : start + (index + 1) * 5 * HOUR + 17,
    }))
    const people = [
      ...new Map(
        some
          .flatMap(({ devices }) => devices)
          .map(({ id, adapters }) => [
            id,
            { device: id, macs: adapters.map(({ mac }) => mac), network: 'n1' },
          ]),
      ).values(),
      { device: null, macs: ['02:aa:bb:00:00:7f'], network: null },
    ]
    return { periods, people, start }
  })
const eraAt = (periods: readonly PolicyPeriod[], at: number) =>
  periods.find(({ from, until }) => from <= at && at < until)!

describe('periods', () => {
  test('everyone stands at any time as the policy of that time says', () => {
    fc.assert(
      fc.property(
        histories,
        fc.array(fc.nat(30 * HOUR), { minLength: 1, maxLength: 6 }),
        ({ periods, people, start }, offsets) => {
          const lines = periodTimelines(periods, people, start, start + 30 * HOUR + 1)
          for (const at of offsets.map((offset) => start + offset)) {
            const compiled = compile(eraAt(periods, at).policy)
            const standings = standingsAt(
              compiled,
              people.map((person) => subjectOf(compiled, person)),
              at,
            )
            expect(
              lines
                .map(({ segments }) => segments.find((segment) => segment.from <= at && at < segment.until)!)
                .map(({ state, decidedBy, clauses }) => ({ state, decidedBy, clauses })),
            ).toEqual(standings)
          }
        },
      ),
      { numRuns: 60 },
    )
  })

  test('since and until of a moment are the bounds of its state, over the periods', () => {
    fc.assert(
      fc.property(histories, fc.nat(20 * HOUR), ({ periods, people, start }, offset) => {
        const at = start + offset
        const [from, until] = [start - 40 * HOUR, start + 60 * HOUR]
        const lines = periodTimelines(periods, people, from, until)
        periodStates(periods, people, at).forEach((moment, index) => {
          const { segments } = lines[index]!
          const here = segments.findIndex((one) => one.from <= at && at < one.until)
          const others = (some: typeof segments) => some.filter(({ state }) => state !== moment.state)
          const since = others(segments.slice(0, here)).at(-1)?.until
          const ends = others(segments.slice(here))[0]?.from
          if (since !== undefined) expect(moment.since).toBe(since)
          else expect(moment.since === null || moment.since <= from).toBe(true)
          if (ends !== undefined) expect(moment.until).toBe(ends)
          else expect(moment.until === null || moment.until >= until).toBe(true)
        })
      }),
      { numRuns: 60 },
    )
  })

  test('asked along a walk, moments are those of each instant', () => {
    // A bound at the horizon may be seen from one instant and not from the one before.
    const inSight = (moments: readonly StateAt[], at: number) =>
      moments.map((moment) => ({
        ...moment,
        ...Object.fromEntries(
          (['since', 'until'] as const).map((side) => [
            side,
            Math.abs((moment[side] ?? Infinity) - at) < REACH - 2 * DAY ? moment[side] : null,
          ]),
        ),
      }))
    fc.assert(
      fc.property(
        histories,
        fc.array(fc.integer({ min: -3 * DAY, max: 9 * DAY }), { minLength: 2, maxLength: 8 }),
        ({ periods, people, start }, offsets) => {
          const along = momentsAlong(periods, people)
          for (const at of offsets.map((offset) => start + offset))
            expect(inSight(along(at), at)).toEqual(inSight(periodStates(periods, people, at), at))
        },
      ),
      { numRuns: 60 },
    )
  })

  test('segments follow each other without a gap, and neighbours differ', () => {
    fc.assert(
      fc.property(histories, ({ periods, people, start }) => {
        for (const { segments } of periodTimelines(periods, people, start, start + 24 * HOUR)) {
          expect([segments[0]!.from, segments.at(-1)!.until]).toEqual([start, start + 24 * HOUR])
          segments.slice(1).forEach((segment, index) => {
            const before = segments[index]!
            expect(segment.from).toBe(before.until)
            expect([segment.state, segment.decidedBy, segment.clauses]).not.toEqual([
              before.state,
              before.decidedBy,
              before.clauses,
            ])
          })
        }
      }),
      { numRuns: 60 },
    )
  })
})
