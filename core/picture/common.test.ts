import { expect, test } from 'vitest'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { compile } from '../decision/compile.ts'
import { deviceSubject } from '../decision/subject.ts'
import { timelines } from '../decision/timeline.ts'
import { commonRules, drawnStretches, ownBlocks } from './common.ts'

const rule = (id: string, who: object, what: object, more: object = {}) => ({
  ...{ id, name: id, effect: 'block', who, what, when: { always: true } },
  ...more,
})
const policy = policyOf({
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'UTC' },
  devices: ['a', 'b', 'c'].map((id, index) => ({
    ...{ id, name: id, adapters: [{ mac: `02:5e:10:00:00:0${index}`, medium: 'wifi' }] },
  })),
  schedules: [{ id: 'day', name: 'Day', week: '08:00-18:00' }],
  rules: [
    rule('b-clips', { devices: ['b'] }, { sites: ['clipriver.example'] }),
    rule('tiles', { everyone: true }, { sites: ['tilefall.example'] }, { when: { schedules: ['day'] } }),
    rule('logged', { everyone: true }, { sites: ['marblerun.example'] }, { logOnly: true }),
    rule('off', { everyone: true }, { sites: ['marblerun.example'] }, { enabled: false }),
    rule('all-but', { everyone: true, except: { devices: ['a', 'b'] } }, { sites: ['reelbrook.example'] }),
  ],
})
const FROM = Date.UTC(2026, 10, 27) / 1000

test('what a rule blocks in part for everybody alike is not drawn into a band; what it is for some is', () => {
  expect(commonRules(policy).map(({ id }) => id)).toEqual(['tiles'])
  expect(ownBlocks(policy)).toEqual(['b-clips', 'all-but'])
  const lines = timelines(compile(policy), ['a', 'b', 'c'].map(deviceSubject), FROM, FROM + 86_400)
  const drawn = lines.map(({ segments }) => [
    segments.map(({ state }) => state),
    drawnStretches(segments, new Set(ownBlocks(policy))).map(({ state }) => state),
  ])
  expect(drawn).toEqual([
    [
      ['open', 'filtered', 'open'],
      ['open', 'open', 'open'],
    ],
    [
      ['filtered', 'filtered', 'filtered'],
      ['filtered', 'filtered', 'filtered'],
    ],
    [
      ['filtered', 'filtered', 'filtered'],
      ['filtered', 'filtered', 'filtered'],
    ],
  ])
})

test('where the whole internet is blocked for everybody, bands show it', () => {
  const whole = {
    ...policy,
    rules: [{ ...policy.rules[1]!, what: { ...policy.rules[1]!.what, internet: true, sites: [] } }],
  }
  expect(commonRules(whole)).toEqual([])
})
