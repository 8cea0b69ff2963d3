import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { policies, policyOf } from '../../tests/support/arbitraries.ts'
import { demoDocument } from '../../server/demo/policy.ts'
import { placeRules, ruleSteps } from './pair.ts'
import type { Rule } from './types.ts'

const demo = policyOf(demoDocument('2026-11-28'))

describe('only what is listed', () => {
  test('is said by an allow and a ban of the rest right behind it, for the same at the same times', () => {
    expect(
      ruleSteps(demo.rules)
        .filter((step) => step.length === 2)
        .map((step) => step.map(({ id }) => id)),
    ).toEqual([
      ['kiosk-pages', 'kiosk-only'],
      ['reference-open', 'quiet-bench'],
    ])
    const [pages, only] = demo.rules.filter(({ id }) => id.startsWith('kiosk')) as [Rule, Rule]
    const others: Rule[][] = [
      [only, pages],
      [pages, { ...only, enabled: false }],
      [pages, { ...only, who: { ...only.who, newcomers: true } }],
      [pages, { ...only, when: { schedules: ['night'], outside: false } }],
      [pages, { ...only, effect: 'allow' }],
      [pages, { ...only, what: pages.what }],
      [{ ...pages, what: only.what }, only],
      [{ ...pages, effect: 'block' }, only],
    ]
    for (const rules of others) expect(ruleSteps(rules).map((step) => step.length)).toEqual([1, 1])
  })

  test('the steps are the rules in their order', () => {
    fc.assert(
      fc.property(policies, ({ rules }) => {
        expect(ruleSteps(rules).flat()).toEqual(rules)
      }),
      { numRuns: 100 },
    )
  })
})

test.each<[string, string[], string[], string]>([
  ['a change stays in its place', ['b'], [], 'abc'],
  ['what is new stands at the end', ['x'], [], 'abcx'],
  ['what is new stands behind what was changed before it', ['a', 'x', 'y'], [], 'axybc'],
  ['what is new stands behind what is new before it', ['x', 'y'], [], 'abcxy'],
  ['what goes is gone', ['a', 'x'], ['b', 'c'], 'ax'],
  ['nothing', [], [], 'abc'],
])('rules are placed: %s', (_, edits, takeOut, order) => {
  const rule = (id: string, name = id): Rule => ({ ...demo.rules[0]!, id, name })
  const placed = placeRules(
    ['a', 'b', 'c'].map((id) => rule(id)),
    edits.map((id) => rule(id, 'new')),
    takeOut,
  )
  expect(placed.map(({ id }) => id).join('')).toBe(order)
  expect(
    placed
      .filter(({ name }) => name === 'new')
      .map(({ id }) => id)
      .sort(),
  ).toEqual([...edits].sort())
})
