import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { instants, NAMED_NEWCOMER, policies } from '../../tests/support/arbitraries.ts'
import { destination, oracleStanding } from '../../tests/support/oracle.ts'
import { compile, everyDevice } from './compile.ts'
import { deviceSubject, type Subject } from './subject.ts'
import { momentsAt, REACH, standingsAt, verdictAt } from './moment.ts'
import { metWeeks } from './met.ts'
import { verdictSpans } from './spans.ts'
import { stateText, timelines } from './timeline.ts'
import { partsFor, traceAt } from './trace.ts'

/** Every device and two newcomers, one of whom overrides name, each in no network and in one. */
const everyone = (compiled: ReturnType<typeof compile>): Subject[] => {
  const newcomers = ['02:aa:bb:00:00:7f', NAMED_NEWCOMER].map((mac): Subject => ({
    device: null,
    mac,
    network: null,
  }))
  return [...everyDevice(compiled), ...newcomers].flatMap((subject) => [
    subject,
    { ...subject, network: 'n0' },
  ])
}
const HOUR = 3600

describe('against the oracle', () => {
  test('the standing of everyone at any instant', () => {
    fc.assert(
      fc.property(policies, fc.array(instants, { minLength: 1, maxLength: 8 }), (policy, times) => {
        const compiled = compile(policy)
        const subjects = everyone(compiled)
        for (const at of times) {
          expect(standingsAt(compiled, subjects, at)).toEqual(
            subjects.map((subject) => oracleStanding(policy, subject, at)),
          )
        }
      }),
      { numRuns: 400 },
    )
  })

  test('a timeline, minute by minute', () => {
    fc.assert(
      fc.property(policies, instants, (policy, start) => {
        const compiled = compile(policy)
        const from = Math.floor(start / 60) * 60
        for (const { segments, ...subject } of timelines(
          compiled,
          everyone(compiled),
          from,
          from + 24 * HOUR,
        )) {
          for (let at = from; at < from + 24 * HOUR; at += 60) {
            const segment = segments.find((one) => one.from <= at && at < one.until)!
            expect({ state: segment.state, decidedBy: segment.decidedBy, clauses: segment.clauses }).toEqual(
              oracleStanding(policy, subject, at),
            )
          }
        }
      }),
      { numRuns: 25 },
    )
  })
})

describe('laws', () => {
  test('segments tile the range, and neighbours differ', () => {
    fc.assert(
      fc.property(policies, instants, fc.integer({ min: 1, max: 400 * HOUR }), (policy, from, length) => {
        const compiled = compile(policy)
        for (const { segments } of timelines(compiled, everyone(compiled), from, from + length)) {
          expect([segments[0]!.from, segments.at(-1)!.until]).toEqual([from, from + length])
          segments.slice(1).forEach((segment, index) => {
            expect(segment.from).toBe(segments[index]!.until)
            expect(segment.clauses).not.toEqual(segments[index]!.clauses)
          })
        }
      }),
      { numRuns: 150 },
    )
  })

  test('since and until are the bounds of the state that a long timeline shows, and those of the segment lie within', () => {
    fc.assert(
      fc.property(policies, instants, (policy, at) => {
        const compiled = compile(policy)
        const subjects = everyone(compiled)
        const [from, until] = [at - REACH - 1, at + REACH + 1]
        const lines = timelines(compiled, subjects, from, until)
        const bounds = lines.map(({ segments }) => {
          const here = segments.findIndex((one) => one.from <= at && at < one.until)
          const { state } = segments[here]!
          const since = segments.slice(0, here).findLast((one) => one.state !== state)?.until ?? null
          const ends = segments.slice(here).find((one) => one.state !== state)?.from ?? null
          const edge = (instant: number) => (instant === from || instant === until ? null : instant)
          return {
            since,
            until: ends,
            segment: { since: edge(segments[here]!.from), until: edge(segments[here]!.until) },
          }
        })
        expect(
          momentsAt(compiled, subjects, at).map(({ since, until, segment }) => ({ since, until, segment })),
        ).toEqual(bounds)
      }),
      { numRuns: 40 },
    )
  })

  test('a bare unlisted name is allowed exactly where the state is not blocked', () => {
    fc.assert(
      fc.property(policies, instants, (policy, at) => {
        const compiled = compile(policy)
        const subjects = everyone(compiled)
        const states = standingsAt(compiled, subjects, at).map(({ state }) =>
          state === 'open' || state === 'filtered' ? 'allow' : 'block',
        )
        expect(
          subjects.map((subject) => verdictAt(compiled, subject, at, destination('unlisted.example')).effect),
        ).toEqual(states)
      }),
      { numRuns: 200 },
    )
  })

  test('the trace counts and decides with the clauses, in their order', () => {
    fc.assert(
      fc.property(policies, instants, (policy, at) => {
        const compiled = compile(policy)
        const subjects = everyone(compiled)
        const traces = subjects.map((subject) =>
          traceAt(compiled, subject, at)
            .filter(({ part }) => part === 'counts' || part === 'decides')
            .map(({ id }) => id),
        )
        expect(traces).toEqual(standingsAt(compiled, subjects, at).map(({ clauses }) => clauses))
        // Of several devices each rule has the weightiest part that it has for one.
        const devices = policy.devices.map(({ id }) => id)
        const rules = devices
          .flatMap((device) => traceAt(compiled, deviceSubject(device), at))
          .filter(({ kind }) => kind === 'rule')
        const weightiest = rules.map(({ id }): [string, string | undefined] => [
          id,
          ['decides', 'counts', 'behind', 'rests'].find((part) =>
            rules.some((one) => one.id === id && one.part === part),
          ),
        ])
        expect(partsFor(compiled, devices, at)).toEqual(new Map(weightiest))
      }),
      { numRuns: 200 },
    )
  })
})

test('the spans of a destination are its verdicts, each by one clause, without a gap', () => {
  const targets = [
    'https://wiki.example',
    'tcp://203.0.113.9:443',
    'livestream.clipriver.example',
    'udp://b.example:53',
  ].map(destination)
  fc.assert(
    fc.property(
      policies,
      instants,
      fc.constantFrom(...targets),
      fc.array(fc.nat(2 * 86400 - 1), { minLength: 1, maxLength: 5 }),
      (policy, from, target, offsets) => {
        const compiled = compile(policy)
        for (const subject of everyone(compiled)) {
          const spans = verdictSpans(compiled, subject, target, from, from + 2 * 86400)
          expect([spans[0]!.from, spans.at(-1)!.until]).toEqual([from, from + 2 * 86400])
          spans
            .slice(1)
            .forEach((span, index) =>
              expect([
                span.from,
                span.decidedBy?.id === spans[index]!.decidedBy?.id && span.effect === spans[index]!.effect,
              ]).toEqual([spans[index]!.until, false]),
            )
          for (const at of offsets.map((offset) => from + offset)) {
            const { effect, decidedBy } = spans.find((span) => span.from <= at && at < span.until)!
            expect({ effect, decidedBy }).toEqual(verdictAt(compiled, subject, at, target))
          }
        }
      },
    ),
    { numRuns: 60 },
  )
})

test('the week of those whom a rule meets is one of theirs, and the one that most of them have', () => {
  fc.assert(
    fc.property(policies, instants, (policy, from) => {
      const compiled = compile({ ...policy, overrides: [], spent: [] })
      const lines = new Map(
        timelines(compiled, everyDevice(compiled), from, from + 86400).map(({ device, segments }) => [
          device!,
          segments,
        ]),
      )
      for (const { rule, met, alike, segments } of metWeeks(policy, from, from + 86400)) {
        const { includes } = compiled.candidates.find(({ id }) => id === rule)!
        const looks = policy.devices
          .filter(({ id }) => includes(deviceSubject(id)))
          .map(({ id }) => stateText(lines.get(id)!))
        const same = (look: string) => looks.filter((other) => other === look).length
        expect([met, alike]).toEqual([looks.length, Math.max(0, ...looks.map(same))])
        if (met > 0) expect(same(stateText(segments))).toBe(alike)
      }
    }),
    { numRuns: 60 },
  )
})

test('an unknown device is refused by name', () => {
  const [policy] = fc.sample(policies, 1)
  expect(() => standingsAt(compile(policy!), [deviceSubject('nobody')], 0)).toThrow(
    'The policy has no device "nobody".',
  )
})
