import { expect, test } from 'vitest'
import { readInstant } from '../../core/time/instant.ts'
import { demoDocument } from '../../server/demo/policy.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { SHOWN, suggestions } from './suggest.ts'

const policy = policyOf(demoDocument('2026-11-28'))
const now = readInstant('2026-11-23T15:12:00Z')!
const found = (text: string) => suggestions(text, policy, now)

test.each<[string, string[]]>([
  ['open lenas tablet 30 min', ['Allow Lena’s tablet for 30 min']],
  ['Cut off big screen until 22:00', ['Block Big screen until 22:00']],
  ['block attic until lifted', ['Block Attic console until you end it']],
  ['allow apprentices for 1 h 30 min', ['Allow Apprentices for 1 h 30 min']],
  ['cut off big screen tomorrow 7am', ['Block Big screen until Tuesday 07:00']],
  [
    'open hall',
    [
      'Allow Hall radio for 30 min',
      'Allow Hall radio for 1 h',
      'Allow Hall radio for 2 h',
      'Allow Hall radio until you end it',
    ],
  ],
  ['big screen fri 22:00', ['Big screen on Fri 27 Nov, 22:00']],
  ['fri 21:30', ['Fri 27 Nov, 21:30']],
  ['quiet b', ['Quiet bench']],
  ['chatter', ['Chatterling']],
  ['undo', ['Undo the last edit']],
  ['cut off nobody here', []],
  ['open big screen yesterday', []],
  // A whole group is meant by its words, never a device in whose name they happen to lie.
  ['cut off all of front of house 30 min', ['Block Front of house for 30 min']],
  ['cut off all', []],
  ['zzz', []],
])('“%s”', (text, labels) => {
  expect(found(text).map(({ label }) => label)).toEqual(labels)
})

test('what is said is what is done', () => {
  expect(found('cut off big screen until 22:00')[0]!.act).toEqual({
    kind: 'override',
    effect: 'block',
    who: { devices: ['big-screen'], groups: [] },
    until: readInstant('2026-11-23T22:00:00Z'),
    lasts: null,
    said: 'Big screen is blocked until 22:00.',
  })
  expect(found('open front of house 30 min')[0]!.act).toMatchObject({
    who: { devices: [], groups: ['front'] },
    until: now + 1800,
  })
  expect(found('tide clock tue 8:00')[0]!.act).toEqual({
    kind: 'look',
    at: readInstant('2026-11-24T08:00:00Z'),
    to: '/?device=tide-clock',
  })
  expect(found('school nights')[0]!.act).toEqual({ kind: 'go', to: '/schedules/school-nights' })
})

test('what is meant stays the same line while the clock goes on', () => {
  const keys = (later: number) => suggestions('cut off attic', policy, now + later).map(({ key }) => key)
  expect(keys(1)).toEqual(keys(0))
})

test('an empty text offers the pages and acts, and no more lines than are shown', () => {
  expect(found('').map(({ sort }) => sort)).toEqual(
    Array.from({ length: SHOWN }, (_, index) => (index < 9 ? 'page' : 'act')),
  )
  expect(found('e').length).toBe(SHOWN)
})

test('every device, group, rule, schedule, list and app of a policy is found by its name', () => {
  for (const kind of ['devices', 'groups', 'rules', 'schedules', 'siteLists', 'apps'] as const) {
    for (const { name, id } of policy[kind])
      expect(
        found(name).some(
          ({ label, act }) => label === name && act.kind === 'go' && act.to.endsWith(encodeURIComponent(id)),
        ),
      ).toBe(true)
  }
})
