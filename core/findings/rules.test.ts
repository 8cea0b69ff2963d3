import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { instants, policies, policyOf } from '../../tests/support/arbitraries.ts'
import { demoDocument } from '../../server/demo/policy.ts'
import { compile, subjectOfMac } from '../decision/compile.ts'
import { verdictAt } from '../decision/moment.ts'
import { readDestination, type Destination } from '../destination/destination.ts'
import { readInstant } from '../time/instant.ts'
import { policyFindings, type PolicyFinding } from './rules.ts'
import { WAYS_AROUND } from './bypasses.ts'

const NOW = readInstant('2026-11-23T12:00:00Z')!
const device = (id: string, last: number, more = {}) => ({
  id,
  name: id,
  adapters: [{ mac: `02:5e:10:00:00:0${last}`, medium: 'wifi' }],
  ...more,
})
const rule = (
  id: string,
  effect: string,
  who: object,
  what: object,
  when: object = { always: true },
  more = {},
) => ({ id, name: id, effect, who, what, when, ...more })
const [INTERNET, TILL, ALL] = [{ internet: true }, { devices: ['till'] }, { groups: ['shop'] }]
/** A finding as words, without the instant, which has a test of its own. */
const words = (finding: PolicyFinding) =>
  Object.entries(finding)
    .flatMap(([key, value]: [string, unknown]) => (key === 'first' ? [] : value))
    .flat()
    .join(' ')
const findings = (rules: object[], more: object = {}) =>
  policyFindings(
    policyOf({
      kairostat: 1,
      place: { name: 'B', timeZone: 'Europe/Lisbon' },
      devices: [device('till', 1), device('kiosk', 2), device('safe', 3, { shielded: true })],
      groups: [{ id: 'shop', name: 'Shop', members: ['till', 'kiosk'] }],
      schedules: [
        { id: 'day', name: 'Day', week: '08:00-18:00' },
        { id: 'noon', name: 'Noon', week: '12:00-13:00' },
        { id: 'never', name: 'Never', week: 'off' },
      ],
      siteLists: [{ id: 'wiki', name: 'Wiki', entries: ['wiki.example', '203.0.113.0/24'] }],
      apps: [
        { id: 'reel', name: 'Reel', category: 'video', sites: ['reel.example'], services: ['udp/3478-3481'] },
      ],
      rules: [
        ...rules,
        rule(
          'rest',
          'block',
          { ...ALL, everyone: true },
          { siteLists: ['wiki'], apps: ['reel'] },
          { schedules: ['day', 'noon', 'never'] },
          { enabled: false },
        ),
      ],
      ...more,
    }),
    NOW,
  ).map(words)

describe('findings about rules', () => {
  test.each<[string, object[], string[]]>([
    [
      'a ban of everything before what it closes already',
      [rule('all', 'block', ALL, INTERNET), rule('reel', 'block', TILL, { apps: ['reel'] })],
      ['never-decides reel all'],
    ],
    [
      'one that blocks after an allowance leaves something to those behind it, and is no contradiction',
      [
        rule('hours', 'block', ALL, INTERNET, undefined, { after: { minutes: 60, per: 'day' } }),
        rule('more', 'block', ALL, INTERNET, undefined, { after: { minutes: 90, per: 'day' } }),
        rule('open', 'allow', ALL, INTERNET),
        rule('last', 'block', ALL, { apps: ['reel'] }),
      ],
      ['never-decides last open'],
    ],
    [
      'a name under a name, a narrower block, port and word',
      [
        rule('wide', 'block', ALL, {
          sites: ['wiki.example', '203.0.113.0/24'],
          keywords: ['stream'],
          services: ['tcp/20-30'],
        }),
        rule('narrow', 'allow', TILL, {
          sites: ['de.wiki.example', '203.0.113.9', 'livestream.example'],
          keywords: ['streams'],
          services: ['tcp/21@198.51.100.0/24'],
        }),
        rule('last', 'block', ALL, INTERNET),
      ],
      ['never-decides narrow wide'],
    ],
    [
      'one name more, and it decides',
      [
        rule('wide', 'block', ALL, { siteLists: ['wiki'] }),
        rule('narrow', 'block', TILL, { siteLists: ['wiki'], sites: ['other.example'] }),
      ],
      [],
    ],
    [
      'earlier ones that decide only at some of its times, or for some of its devices',
      [
        rule('noon', 'block', ALL, INTERNET, { schedules: ['noon'] }),
        rule('till', 'block', TILL, INTERNET, { schedules: ['day'] }),
        rule('shop', 'block', ALL, INTERNET, { schedules: ['day'] }),
      ],
      [],
    ],
    [
      'earlier ones that decide at all of its times, in turn',
      [
        rule('noon', 'block', ALL, INTERNET, { schedules: ['noon'] }),
        rule('else', 'block', ALL, INTERNET, { schedules: ['noon'], outside: true }),
        rule('till', 'block', TILL, INTERNET),
      ],
      ['never-decides till noon else'],
    ],
    [
      'hours that never come, and a date that is past',
      [
        rule('off', 'block', TILL, INTERNET, { schedules: ['never'] }),
        rule('past', 'block', ALL, INTERNET, { from: '2026-05-01T10:00', until: '2026-05-01T12:00' }),
      ],
      ['never-in-force off', 'never-in-force past'],
    ],
    [
      'nobody, all of them excepted, only a shielded one',
      [
        rule('nobody', 'block', {}, INTERNET),
        rule('excepted', 'block', { ...ALL, except: { groups: ['shop'] } }, INTERNET),
        rule('safe', 'block', { devices: ['safe'] }, INTERNET),
        rule('all', 'block', ALL, INTERNET),
      ],
      ['meets-nobody nobody', 'meets-nobody excepted', 'meets-nobody safe'],
    ],
    ['nothing that it speaks of', [rule('empty', 'block', ALL, {})], ['says-nothing empty']],
    [
      'an opening before no ban; and one that is needed',
      [
        rule('open', 'allow', TILL, { siteLists: ['wiki'] }, { schedules: ['day'] }),
        rule('need', 'allow', { devices: ['kiosk'] }, { siteLists: ['wiki'] }),
        rule('ban', 'block', { devices: ['kiosk'] }, INTERNET, { schedules: ['noon'] }),
      ],
      ['opens-nothing open '],
    ],
    [
      'an exception below the ban that it is to override, which it would open above it',
      [
        rule('noon', 'block', TILL, { services: ['udp/53'] }),
        rule('ban', 'block', ALL, { sites: ['wiki.example'] }),
        rule('open', 'allow', TILL, { sites: ['a.wiki.example', 'other.example'] }),
      ],
      ['opens-nothing open ban'],
    ],
    [
      'the opposite for the same devices at times that meet',
      [
        rule('a', 'block', ALL, { apps: ['reel'] }, { schedules: ['noon'] }),
        rule('b', 'allow', ALL, { apps: ['reel'] }, { schedules: ['day'] }),
        rule('ban', 'block', ALL, INTERNET),
      ],
      ['contradiction a b'],
    ],
    [
      'the opposite for fewer devices is an exception',
      [rule('a', 'allow', TILL, { apps: ['reel'] }), rule('b', 'block', ALL, { apps: ['reel'] })],
      [],
    ],
    ['a device of no rule', [rule('till', 'block', TILL, INTERNET)], ['no-rule kiosk']],
  ])('%s', (_, rules, expected) => {
    const about = expected.some((one) => one.startsWith('no-rule'))
      ? /^unused|^slips/
      : /^unused|^no-rule|^slips/
    expect(findings(rules).filter((one) => !about.test(one))).toEqual(expected)
  })

  test('what nothing uses is told, and a rule that is switched off uses what it names', () => {
    expect(findings([]).filter((one) => one.startsWith('unused'))).toEqual([])
    expect(
      findings([rule('all', 'block', { everyone: true }, INTERNET)], {
        rules: [rule('all', 'block', { everyone: true }, INTERNET)],
      }),
    ).toEqual([
      'unused siteList wiki',
      'unused app reel',
      'unused schedule day',
      'unused schedule noon',
      'unused schedule never',
      'unused group shop',
    ])
  })

  test('the demo has those that are meant and no other', () => {
    expect(policyFindings(policyOf(demoDocument('2026-11-28')), NOW).map(words)).toEqual([
      'slips-by-address press-laptop ines-phone bench-tablet frame-reader tomas-phone front-tablet ledger-laptop lena-tablet lena-phone lena-reader',
      'slips-by-service no-play-at-work radio play-hours-only tcp/853 udp/853 udp/500,4500 udp/1701 tcp/1723 tcp/1080',
      'unused app tunecask',
      'unused group flat',
      'no-rule shelf-store big-screen tide-clock kitchen-speaker tomas-tablet old-laptop',
    ])
  })

  test('the demo with what they ask for has none', () => {
    const { rules, apps, groups, ...rest } = demoDocument('2026-11-28')
    const ways = { id: 'ways', name: 'Ways around', category: 'tunnels', services: [...WAYS_AROUND] }
    const mended = rules.map((one) =>
      'what' in one && !('internet' in one.what) && one.effect === 'block'
        ? { ...one, what: { ...one.what, apps: ['ways'] } }
        : one,
    )
    const clean = {
      ...rest,
      apps: [...apps.filter(({ id }) => id !== 'tunecask'), ways],
      groups,
      rules: [
        ...mended,
        rule('wait', 'block', { newcomers: true }, INTERNET),
        rule(
          'else',
          'block',
          { groups: ['flat'], devices: ['shelf-store', 'old-laptop'] },
          { services: ['tcp/25'] },
        ),
      ],
    }
    expect(policyFindings(policyOf(clean), NOW, ['02:5e:10:00:00:14']).map(words)).toEqual([])
  })

  describe('ways around', () => {
    const phone = (id: string, last: number, more = {}) => device(id, last, { kind: 'phone', ...more })
    const bypasses = (
      rules: object[],
      own: string[] = [],
      devices = [
        phone('till', 1),
        phone('kiosk', 2),
        { ...phone('fixed', 3), adapters: [{ mac: '00:00:5e:00:53:01', medium: 'wifi' }] },
      ],
    ) =>
      policyFindings(
        policyOf({
          kairostat: 1,
          place: { name: 'B', timeZone: 'Europe/Lisbon' },
          devices,
          schedules: [
            { id: 'day', name: 'Day', week: '08:00-18:00' },
            { id: 'noon', name: 'Noon', week: '12:00-13:00' },
          ],
          rules,
        }),
        NOW,
        own,
      )
        .filter(({ kind }) => !['no-rule', 'unused'].includes(kind))
        .map((finding) => [words(finding), 'first' in finding ? finding.first - NOW : null])
    const [DAYS, NOON, MORROW] = [{ schedules: ['day'] }, { schedules: ['noon'] }, 20 * 3600]
    test.each<[string, object[], [string, number][]]>([
      [
        'a phone that is blocked while newcomers are not',
        [rule('till', 'block', TILL, INTERNET, DAYS)],
        [['slips-by-address till', 0]],
      ],
      [
        'newcomers blocked at the same times',
        [rule('till', 'block', { ...TILL, newcomers: true }, INTERNET, DAYS)],
        [],
      ],
      [
        'newcomers blocked for longer',
        [
          rule('till', 'block', { everyone: true }, INTERNET, NOON),
          rule('new', 'block', { newcomers: true }, INTERNET, DAYS),
        ],
        [],
      ],
      [
        'newcomers blocked at noon only',
        [
          rule('till', 'block', TILL, INTERNET, DAYS),
          rule('new', 'block', { newcomers: true }, INTERNET, NOON),
        ],
        [['slips-by-address till', 3600]],
      ],
      ['an address that its maker gave', [rule('till', 'block', { devices: ['fixed'] }, INTERNET)], []],
      [
        'names closed, nothing else',
        [
          rule(
            'reel',
            'block',
            { everyone: true },
            { sites: ['reel.example'] },
            { schedules: ['day'], outside: true },
          ),
        ],
        [['slips-by-service reel tcp/853 udp/853 udp/500,4500 udp/1701 tcp/1723 tcp/1080', 6 * 3600]],
      ],
      [
        'an address block closed, no name',
        [rule('reel', 'block', { everyone: true }, { sites: ['203.0.113.0/24'] })],
        [],
      ],
      [
        'the rest closed behind it',
        [
          rule('reel', 'block', { everyone: true }, { sites: ['reel.example'] }),
          rule('all', 'block', { everyone: true }, INTERNET),
        ],
        [],
      ],
      [
        'some of the ways closed with it, one let through before',
        [
          rule('open', 'allow', { everyone: true }, { services: ['tcp/1-2000'] }),
          rule(
            'reel',
            'block',
            { everyone: true },
            { sites: ['reel.example'], services: ['tcp/*', 'udp/1-5000'] },
          ),
        ],
        [['slips-by-service reel tcp/853 tcp/1723 tcp/1080', 0]],
      ],
    ])('%s', (_, rules, expected) => {
      expect(bypasses(rules)).toEqual(expected)
    })

    test('the machine in use, blocked from tomorrow on', () => {
      const rules = [rule('till', 'block', { everyone: true }, INTERNET, NOON)]
      expect(bypasses(rules, ['02:5e:10:00:00:01'])).toEqual([['own-machine till', 0]])
      expect(
        bypasses(
          [
            rule('till', 'block', { everyone: true }, INTERNET, {
              from: '2026-11-24T08:00',
              until: '2026-11-24T09:00',
            }),
          ],
          ['02:5e:10:00:00:01'],
        ),
      ).toEqual([['own-machine till', MORROW]])
      expect(bypasses(rules, ['02:5e:10:00:00:09'])).toEqual([])
    })
  })

  test('a rule that is said never to decide can go without any verdict changing, nor does one that opens nothing', () => {
    const targets = [
      'https://wiki.example',
      'https://arena.example',
      'tcp://203.0.113.9:443',
      'https://livestream.clipriver.example',
      'udp://b.example:53',
      'https://büch.example',
    ].map((text) => readDestination(text) as Destination)
    fc.assert(
      fc.property(policies, instants, (policy, at) => {
        const bare = { ...policy, overrides: [] }
        const idle = policyFindings(bare, at).flatMap((finding) =>
          ['never-decides', 'never-in-force', 'meets-nobody', 'says-nothing', 'opens-nothing'].includes(
            finding.kind,
          ) && 'rule' in finding
            ? [finding.rule]
            : [],
        )
        const [whole, less] = [
          compile(bare),
          compile({ ...bare, rules: bare.rules.filter(({ id }) => id !== idle[0]) }),
        ]
        if (idle.length === 0) return
        for (const mac of [
          '02:00:5e:00:00:00',
          '02:00:5e:00:00:02',
          '02:00:5e:00:00:03',
          '02:5e:99:00:00:01',
        ]) {
          for (const later of [0, 5000, 40_000, 86_400, 200_000]) {
            for (const target of targets)
              expect(verdictAt(less, subjectOfMac(less, mac), at + later, target).effect).toBe(
                verdictAt(whole, subjectOfMac(whole, mac), at + later, target).effect,
              )
          }
        }
      }),
      { numRuns: 300 },
    )
  })
})
