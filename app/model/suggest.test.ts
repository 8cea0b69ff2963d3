import { expect, test } from 'vitest'
import { readInstant } from '../../core/time/instant.ts'
import { demoDocument } from '../../server/demo/policy.ts'
import type { SavedActAnswer, SightingAnswer } from '../../protocol/answers.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { SHOWN, suggestions } from './suggest.ts'

const policy = policyOf(demoDocument('2026-11-28'))
const now = readInstant('2026-11-23T15:12:00Z')!
const found = (text: string) => suggestions(text, policy, now)

const unknown = (mac: string, hostName: string | null, hour: number): SightingAnswer => ({
  mac,
  hostName,
  addresses: ['192.0.2.150'],
  interface: 'br-guest',
  medium: 'wifi',
  connected: true,
  firstSeen: `2026-11-23T${hour}:00:00Z`,
  lastSeen: '2026-11-23T15:11:00Z',
  maker: null,
  yours: false,
  leftAlone: false,
})

test('unknown devices are found by name, address or as the one that just came, and networks by name', () => {
  const seen = [unknown('02:5e:77:00:00:01', 'visitor-phone', 10), unknown('02:5e:77:00:00:02', null, 14)]
  const first = (text: string) => {
    const [one] = suggestions(text, policy, now, seen)
    return one?.act.kind === 'override'
      ? [one.label, one.act.lasts, one.act.who.macs, one.act.who.networks]
      : one
  }
  const four = 4 * 3600
  expect(first('allow visitor')).toEqual(['Allow visitor-phone for 4 h', four, ['02:5e:77:00:00:01'], []])
  expect(first('allow the one that just came')).toEqual([
    'Allow 02:5e:77:00:00:02 for 4 h',
    four,
    ['02:5e:77:00:00:02'],
    [],
  ])
  expect(first('let 02:5e:77:00:00:01 30 min')).toEqual([
    'Allow visitor-phone for 30 min',
    1800,
    ['02:5e:77:00:00:01'],
    [],
  ])
  expect(first('block guest wi-fi for 1 h')).toEqual(['Block Guest Wi-Fi for 1 h', 3600, [], ['guest']])
})

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
  // A number after a name is minutes, unless "until" says that it is an hour of the day.
  [
    'lena 10 more minutes',
    ['Lena', 'Lena’s tablet', 'Lena’s phone', 'Lena’s reader'].map((name) => `Allow ${name} for 10 min`),
  ],
  [
    'lena 10',
    ['Lena', 'Lena’s tablet', 'Lena’s phone', 'Lena’s reader'].map((name) => `Allow ${name} for 10 min`),
  ],
  ['lena phone 10 min', ['Allow Lena’s phone for 10 min']],
  ['lena tablet for 1 h more', ['Allow Lena’s tablet for 1 h']],
  [
    'allow lena 20',
    ['Lena', 'Lena’s tablet', 'Lena’s phone', 'Lena’s reader'].map((name) => `Allow ${name} for 20 min`),
  ],
  ['block big screen until 22', ['Block Big screen until 22:00']],
  ['big screen off 30 min', ['Block Big screen for 30 min']],
  ['turn off big screen 45', ['Block Big screen for 45 min']],
  ['hall radio on until 18:00', ['Allow Hall radio until 18:00']],
  ['block big screen 18:30-19:30', ['Block Big screen from 18:30 until 19:30']],
  ['big screen off from 18 to 19', ['Block Big screen from 18:00 until 19:00']],
  ['big screen off tomorrow 18:30 for 45 min', ['Block Big screen from Tuesday 18:30 until 19:15']],
  ['big screen off at play hours', ['Block Big screen from 16:00 until 18:30']],
  ['allow lena phone sat 10 to 12', ['Allow Lena’s phone from Saturday 10:00 until 12:00']],
  ['turn off big screen at tea', []],
  ['10 more minutes', ['Lena', 'Ines', 'Tomas', 'Marta'].map((name) => `Allow ${name} for 10 min`)],
  ['big screen on fri 22:00', ['Big screen on Fri 27 Nov, 22:00']],
  ['lena 0', []],
  ['lena 10 parsecs', []],
  ['who is blocked now', ['Who is blocked now']],
  ['who’s blocked', ['Who is blocked now']],
  ['who is blocked sat 23:00', ['Who is blocked on Sat 28 Nov, 23:00']],
  ['who is blocked some day', []],
  ['who can reach reelbrook.example', ['Who can reach reelbrook.example now']],
  [
    'who can reach reelbrook.example tomorrow at 10',
    ['Who can reach reelbrook.example on Tue 24 Nov, 10:00'],
  ],
  ['who can reach 203.0.113.9 sat 23:00', ['Who can reach 203.0.113.9 on Sat 28 Nov, 23:00']],
  ['reelbrook.example', ['Who can reach reelbrook.example now']],
  ['who can reach reelbrook.example some day', []],
  ['who can reach the moon', []],
  ['same rules as lena tablet', ['New device with the same rules as Lena’s tablet']],
  ['same rules as nobody', []],
])('“%s”', (text, labels) => {
  expect(found(text).map(({ label }) => label)).toEqual(labels)
})

test('the number at the end of a name is no length', () => {
  const [device, ...others] = policy.devices
  const numbered = { ...policy, devices: [{ ...device!, name: 'Press 1' }, ...others] }
  const first = (text: string) => suggestions(text, numbered, now)[0]?.label
  expect([first('press 1'), first('press 1 30')]).toEqual(['Press 1', 'Allow Press 1 for 30 min'])
})

test('a device with a name comes before an unknown one that its words fit better', () => {
  const seen = [unknown('02:5e:77:00:00:01', 'screen-mirror', 10)]
  const labels = suggestions('block screen 30 min', policy, now, seen).map(({ label }) => label)
  expect([labels[0], labels.at(-1)]).toEqual([
    'Block Big screen for 30 min',
    'Block screen-mirror for 30 min',
  ])
})

test('a saved act comes first under its name, and for a helper within the limit', () => {
  const who = { everyone: false, newcomers: false, devices: [], groups: ['flat'], networks: [], macs: [] }
  const act: SavedActAnswer = {
    id: 'dinner',
    name: 'Dinner',
    author: 'demo',
    effect: 'block',
    who: { ...who, except: { devices: [], groups: [], networks: [] } },
    what: null,
    lasts: 2700,
  }
  const lines = (minutes: number) =>
    suggestions('dinner', policy, now, [], { mayDo: () => true, limit: { minutes, groups: ['flat'] } }, [act])
  expect(lines(45)[0]).toMatchObject({ label: 'Dinner, for 45 min', act: { kind: 'saved', act } })
  expect(lines(30).some(({ act }) => act.kind === 'saved')).toBe(false)
})

test('what is said is what is done', () => {
  expect(found('cut off big screen until 22:00')[0]!.act).toEqual({
    kind: 'override',
    effect: 'block',
    who: { devices: ['big-screen'], groups: [], networks: [], macs: [] },
    from: null,
    until: readInstant('2026-11-23T22:00:00Z'),
    lasts: null,
    said: 'Big screen is blocked until 22:00.',
  })
  expect(found('open front of house 30 min')[0]!.act).toMatchObject({
    who: { devices: [], groups: ['front'], networks: [], macs: [] },
    lasts: 1800,
    until: null,
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
