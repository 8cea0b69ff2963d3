import fc from 'fast-check'
import { expect, test } from 'vitest'
import { instants, policies, policyOf } from '../../tests/support/arbitraries.ts'
import { readDestination, type Destination } from '../destination/destination.ts'
import { compile, everyDevice } from './compile.ts'
import { reachTeller } from './reach.ts'
import { verdictOf } from './standing.ts'
import { timelines } from './timeline.ts'

const PLACES = [
  'clipriver.example',
  'wiki.example',
  'stream.example',
  'arena.example',
  '203.0.113.9',
  'udp://192.0.2.1:53',
  'else.example',
]

test('where the texts of two standings are equal, every destination has the same verdict', () => {
  let equals = 0
  fc.assert(
    fc.property(policies, instants, fc.constantFrom(...PLACES), (policy, at, text) => {
      const destination = readDestination(text) as Destination
      const compiled = compile(policy)
      const tell = reachTeller(policy)
      const byText = new Map<string, string>()
      for (const { segments } of timelines(compiled, everyDevice(compiled), at, at + 86_400))
        for (const segment of segments) {
          const clauses = compiled.candidates.filter(({ id }) => segment.clauses.includes(id))
          const { effect } = verdictOf(clauses, destination)
          const before = byText.get(tell(segment))
          if (before !== undefined) equals++
          expect(before ?? effect).toBe(effect)
          byText.set(tell(segment), effect)
        }
    }),
    { numRuns: 300 },
  )
  expect(equals).toBeGreaterThan(100)
})

const rule = (effect: string, id: string, what: object) => ({
  id,
  name: id,
  effect,
  who: { everyone: true },
  what,
  when: { always: true },
})
test.each<[string, object[], object[], boolean]>([
  [
    'two blocks are one',
    [rule('block', 'a', { sites: ['a.example'] }), rule('block', 'b', { sites: ['b.example'] })],
    [rule('block', 'c', { sites: ['b.example', 'a.example'] })],
    true,
  ],
  [
    'another site is another reach',
    [rule('block', 'a', { sites: ['a.example'] })],
    [rule('block', 'a', { sites: ['b.example'] })],
    false,
  ],
  [
    'an exception that nothing follows changes nothing',
    [rule('allow', 'a', { sites: ['a.example'] })],
    [],
    true,
  ],
  [
    'an exception before its block counts',
    [rule('allow', 'a', { sites: ['a.example'] }), rule('block', 'b', { internet: true })],
    [rule('block', 'b', { internet: true })],
    false,
  ],
  [
    'a block before a block of all is of no account',
    [rule('block', 'a', { keywords: ['ad'] }), rule('block', 'b', { internet: true })],
    [rule('block', 'b', { internet: true })],
    true,
  ],
])('%s', (_, one, other, isEqual) => {
  const [first, second] = [one, other].map((rules) => {
    const policy = policyOf({ kairostat: 1, place: { name: 'B', timeZone: 'UTC' }, rules })
    return reachTeller(policy)({ clauses: policy.rules.map(({ id }) => id) })
  })
  expect(first === second).toBe(isEqual)
})
