import fc from 'fast-check'
import { expect, test } from 'vitest'
import { documentOf } from '../policy/canonical.ts'
import { readPolicy } from '../policy/read.ts'
import type { Policy } from '../policy/types.ts'
import { policies, policyOf } from '../../tests/support/arbitraries.ts'
import { withoutChanges, type EntryRef } from './choose.ts'
import { entriesBetween } from './entries.ts'

const bare = (policy: Policy): Policy => ({ ...policy, overrides: [], spent: [] })
const device = (id: string, mac: string) => ({ id, name: id, adapters: [{ mac, medium: 'wifi' }] })
const [A, B, C] = ['02:00:5e:00:00:0a', '02:00:5e:00:00:0b', '02:00:5e:00:00:0c']
const rule = (id: string, more: object = {}) => ({
  ...{ id, name: id, effect: 'block', who: { groups: ['flat'] } },
  ...{ what: { internet: true }, when: { always: true }, ...more },
})
const LIVE = policyOf({
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'UTC' },
  devices: [device('tablet', A!), device('phone', B!)],
  groups: [{ id: 'flat', name: 'Flat', members: ['tablet'] }],
  rules: [rule('night'), rule('day')],
})
const draftOf = (more: object) => policyOf({ ...documentOf(LIVE), ...more })

test.each<[string, Policy, EntryRef[], EntryRef[], Partial<Policy>]>([
  [
    'a new rule takes nothing along that it names',
    draftOf({ rules: [rule('night'), rule('new'), rule('day')] }),
    [{ kind: 'rule', id: 'new' }],
    [],
    { rules: LIVE.rules },
  ],
  [
    'a new group takes the rule along that names it',
    draftOf({
      groups: [...LIVE.groups, { id: 'shop', name: 'Shop', members: [] }],
      rules: [rule('night', { who: { groups: ['shop'] } }), rule('day')],
    }),
    [{ kind: 'group', id: 'shop' }],
    [{ kind: 'rule', id: 'night' }],
    { groups: LIVE.groups, rules: LIVE.rules },
  ],
  [
    'a group as it was has its device back',
    draftOf({ devices: [device('phone', B!)], groups: [{ id: 'flat', name: 'Home', members: [] }] }),
    [{ kind: 'group', id: 'flat' }],
    [{ kind: 'device', id: 'tablet' }],
    { devices: LIVE.devices, groups: LIVE.groups },
  ],
  [
    'an address that changed hands goes with both',
    draftOf({ devices: [device('tablet', B!), device('phone', C!)] }),
    [{ kind: 'device', id: 'phone' }],
    [{ kind: 'device', id: 'tablet' }],
    { devices: LIVE.devices },
  ],
  [
    'a removed rule comes back into its place',
    draftOf({ rules: [rule('day'), rule('last')] }),
    [{ kind: 'rule', id: 'night' }],
    [],
    { rules: policyOf({ ...documentOf(LIVE), rules: [rule('night'), rule('day'), rule('last')] }).rules },
  ],
  [
    'the order alone',
    draftOf({ rules: [rule('day'), rule('new'), rule('night')] }),
    [{ kind: 'order', id: '' }],
    [],
    { rules: policyOf({ ...documentOf(LIVE), rules: [rule('night'), rule('day'), rule('new')] }).rules },
  ],
])('%s', (_, draft, some, along, expected) => {
  const { policy, left } = withoutChanges(LIVE, draft, some)
  expect(left).toEqual([...some, ...along])
  expect(policy).toMatchObject(expected)
})

test('whatever is left, the rest is a policy without faults, and only what is left is as before', () => {
  fc.assert(
    fc.property(policies, policies, fc.infiniteStream(fc.boolean()), (before, after, picks) => {
      const [was, is] = [bare(before), bare(after)]
      const all = entriesBetween(was, is)
      const { policy, left } = withoutChanges(
        was,
        is,
        all.filter(() => picks.next().value),
      )
      expect(readPolicy(documentOf(policy))).toEqual({ policy })
      const keys = (some: readonly EntryRef[]) => some.map(({ kind, id }) => `${kind} ${id}`)
      const remaining = new Set(keys(entriesBetween(was, policy)))
      expect(keys(left).filter((key) => remaining.has(key) && key !== 'order ')).toEqual([])
      const applied = new Set(keys(left))
      const missed = keys(entriesBetween(policy, is)).filter((key) => !applied.has(key) && key !== 'order ')
      expect(missed).toEqual([])
    }),
    { numRuns: 500 },
  )
})

test('nothing left is all, and all left is nothing', () => {
  fc.assert(
    fc.property(policies, policies, (before, after) => {
      const [was, is] = [bare(before), bare(after)]
      expect(withoutChanges(was, is, []).policy).toEqual(is)
      expect(withoutChanges(was, is, entriesBetween(was, is)).policy).toEqual(was)
    }),
  )
})
