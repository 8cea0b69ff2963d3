import { readFileSync } from 'node:fs'
import Ajv2020 from 'ajv/dist/2020.js'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { documents, policies, policyOf } from '../../tests/support/arbitraries.ts'
import { canonicalText, digestOf, documentOf } from './canonical.ts'
import { freeId } from './id.ts'
import { readPolicy } from './read.ts'

type Json = Record<string, unknown>
const fits = new Ajv2020({ allErrors: true, strict: false }).compile(
  JSON.parse(readFileSync(new URL('../../docs/policy.schema.json', import.meta.url), 'utf8')) as object,
)

const device = { id: 'till', name: 'Till', adapters: [{ mac: '02:5e:10:00:00:01', medium: 'wifi' }] }
const rule = {
  id: 'night',
  name: 'Night',
  effect: 'block',
  who: { devices: ['till'] },
  what: { internet: true },
  when: { schedules: ['nights'] },
}
const BASE = {
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'Europe/Lisbon' },
  devices: [device],
  groups: [{ id: 'front', name: 'Front', members: ['till'] }],
  schedules: [{ id: 'nights', name: 'Nights', week: '22:00-07:00' }],
  rules: [rule],
  overrides: [
    { id: 'later', effect: 'allow', who: { devices: ['till'] }, from: '2026-11-27T20:00:00Z', until: null },
  ],
}
/** The base with changes laid over its rule. */
const withRule = (changes: Json) => ({ ...BASE, rules: [{ ...rule, ...changes }] })
const faultsOf = (value: unknown) => {
  const read = readPolicy(value)
  return 'faults' in read ? read.faults : []
}

test('the base is free of faults, and what is missing has its default', () => {
  expect(policyOf(BASE)).toMatchObject({
    siteLists: [],
    apps: [],
    devices: [{ shielded: false, note: '' }],
    schedules: [{ week: 'Mo-Su 22:00-07:00', exceptions: [] }],
    rules: [
      {
        enabled: true,
        who: { everyone: false, groups: [], except: { devices: [], groups: [] } },
        when: { schedules: ['nights'], outside: false },
      },
    ],
  })
})

describe('faults', () => {
  const cases: [name: string, document: unknown, path: string, words: string][] = [
    ['not an object', 'policy', '', 'must be an object'],
    ['a list', [], '', 'must be an object'],
    ['null', null, '', 'must be an object'],
    ['another version', { ...BASE, kairostat: 2 }, 'kairostat', 'reads format version 1'],
    ['no place', { kairostat: 1 }, 'place', 'is missing'],
    ['an unknown key', { ...BASE, colour: 'red' }, 'colour', 'not a key'],
    ['an unknown key with blanks', { ...BASE, 'a b': 1 }, '"a b"', 'not a key'],
    ['an unknown key deep down', withRule({ who: { device: ['till'] } }), 'rules[0].who.device', 'not a key'],
    ['a key of every object', { ...BASE, ['__proto__x']: 1, constructor: 1 }, 'constructor', 'not a key'],
    [
      'a zone that is none',
      { ...BASE, place: { name: 'B', timeZone: 'Mars/Olympus' } },
      'place.timeZone',
      '"Mars/Olympus" is not a time zone',
    ],
    ['null for a list', { ...BASE, groups: null }, 'groups', 'must be a list'],
    [
      'a device of two people',
      {
        ...BASE,
        groups: ['Lena', 'Ines'].map((name) => ({ id: name, name, members: ['till'], person: true })),
      },
      'groups[1].members[0]',
      '"till" belongs to the person "Lena" already, and to "Ines"',
    ],
    ['an empty name', { ...BASE, devices: [{ ...device, name: ' ' }] }, 'devices[0].name', 'is empty'],
    [
      'a duplicate id',
      { ...BASE, devices: [device, { ...device, adapters: [] }] },
      'devices[1].id',
      '"till" is the id of devices[0] already',
    ],
    [
      'a rule and an override with one id',
      { ...BASE, overrides: [{ ...BASE.overrides[0], id: 'night' }] },
      'overrides[0].id',
      '"night" is the id of rules[0] already',
    ],
    [
      'a MAC of two adapters',
      {
        ...BASE,
        devices: [device, { ...device, id: 'b', adapters: [{ mac: '025E.1000.0001', medium: 'other' }] }],
      },
      'devices[1].adapters[0].mac',
      'is the address of devices[0].adapters[0] already',
    ],
    [
      'a MAC that is none',
      { ...BASE, devices: [{ ...device, adapters: [{ mac: '02:5e:10', medium: 'wifi' }] }] },
      'devices[0].adapters[0].mac',
      '"02:5e:10" is not a MAC address',
    ],
    [
      'a group MAC',
      { ...BASE, devices: [{ ...device, adapters: [{ mac: '01:00:5e:00:00:01', medium: 'wifi' }] }] },
      'devices[0].adapters[0].mac',
      'group address',
    ],
    [
      'an unknown medium',
      { ...BASE, devices: [{ ...device, adapters: [{ mac: '02:5e:10:00:00:01', medium: 'pigeon' }] }] },
      'devices[0].adapters[0].medium',
      '"wifi" or "ethernet" or "other"',
    ],
    [
      'an unknown member',
      { ...BASE, groups: [{ id: 'g', name: 'G', members: ['till', 'nobody'] }] },
      'groups[0].members[1]',
      '"nobody" is not a device',
    ],
    [
      'an unknown group',
      withRule({ who: { groups: ['nobody'] } }),
      'rules[0].who.groups[0]',
      '"nobody" is not a group',
    ],
    [
      'an unknown exception',
      withRule({ who: { everyone: true, except: { devices: ['x'] } } }),
      'rules[0].who.except.devices[0]',
      '"x" is not a device',
    ],
    [
      'an unknown schedule',
      withRule({ when: { schedules: ['x'] } }),
      'rules[0].when.schedules[0]',
      '"x" is not a schedule',
    ],
    [
      'an unknown list',
      withRule({ what: { siteLists: ['x'] } }),
      'rules[0].what.siteLists[0]',
      '"x" is not a list',
    ],
    ['an unknown app', withRule({ what: { apps: ['x'] } }), 'rules[0].what.apps[0]', '"x" is not an app'],
    [
      'week text with a fault',
      { ...BASE, schedules: [{ id: 'nights', name: 'N', week: 'Mo 9-10' }] },
      'schedules[0].week',
      'has a fault at character 4',
    ],
    [
      'an exception backwards',
      {
        ...BASE,
        schedules: [
          { ...BASE.schedules[0], exceptions: [{ from: '2026-12-26', until: '2026-12-24', hours: 'off' }] },
        ],
      },
      'schedules[0].exceptions[0]',
      'before it begins',
    ],
    [
      'exception hours with days',
      {
        ...BASE,
        schedules: [
          {
            ...BASE.schedules[0],
            exceptions: [{ from: '2026-12-24', until: '2026-12-24', hours: 'Mo off' }],
          },
        ],
      },
      'schedules[0].exceptions[0].hours',
      'fault at character 1',
    ],
    [
      'a date that is none',
      {
        ...BASE,
        schedules: [
          { ...BASE.schedules[0], exceptions: [{ from: '2026-02-30', until: '2026-03-01', hours: 'off' }] },
        ],
      },
      'schedules[0].exceptions[0].from',
      '"2026-02-30" is not a date',
    ],
    [
      'internet and a list',
      withRule({ what: { internet: true, sites: ['a.example'] } }),
      'rules[0].what',
      'keep one of the two',
    ],
    [
      'a site with a star',
      withRule({ what: { sites: ['*.a.example'] } }),
      'rules[0].what.sites[0]',
      'write a.example',
    ],
    [
      'a site with a scheme',
      withRule({ what: { sites: ['https://a.example'] } }),
      'rules[0].what.sites[0]',
      'host name alone',
    ],
    [
      'a keyword of two words',
      withRule({ what: { keywords: ['a b'] } }),
      'rules[0].what.keywords[0]',
      'one word',
    ],
    [
      'a service that is none',
      withRule({ what: { services: ['icmp/8'] } }),
      'rules[0].what.services[0]',
      'is not a service',
    ],
    ['no when', withRule({ when: {} }), 'rules[0].when', 'exactly one'],
    [
      'two whens',
      withRule({ when: { always: true, schedules: ['nights'] } }),
      'rules[0].when',
      'exactly one',
    ],
    [
      'outside of nothing',
      withRule({ when: { always: true, outside: true } }),
      'rules[0].when',
      'without schedules',
    ],
    [
      'a beginning without an end',
      withRule({ when: { from: '2026-12-05T14:00' } }),
      'rules[0].when',
      'give both',
    ],
    [
      'an end before the beginning',
      withRule({ when: { from: '2026-12-05T14:00', until: '2026-12-05T14:00' } }),
      'rules[0].when',
      'not after it begins',
    ],
    [
      'a one-off time with an offset',
      withRule({ when: { from: '2026-12-05T14:00Z', until: '2026-12-05T18:00' } }),
      'rules[0].when.from',
      'is not a local date and time',
    ],
    ...(
      [
        ['an allowance of nothing', { per: 'day' }, {}, 'after', 'one of "minutes" and "megabytes"'],
        ['an allowance of both', { minutes: 1, megabytes: 1, per: 'day' }, {}, 'after', 'one of "minutes"'],
        ['half a minute', { minutes: 0.5, per: 'day' }, {}, 'after.minutes', 'a whole number from 1'],
        ['more than a day has', { minutes: 1441, per: 'day' }, {}, 'after', 'a day has 1440'],
        ['another period', { minutes: 1, per: 'month' }, {}, 'after.per', '"day" or "week"'],
        ['no such time', { minutes: 1, per: 'day', from: '24:00' }, {}, 'after.from', 'not a time of day'],
        [
          'an allowance of what is allowed',
          { minutes: 1, per: 'day' },
          { effect: 'allow' },
          'after',
          'only such',
        ],
        [
          'an allowance of a site',
          { minutes: 1, per: 'day' },
          { what: { sites: ['a.example'] } },
          'after',
          'only',
        ],
        [
          'an allowance that only logs',
          { minutes: 1, per: 'day' },
          { logOnly: true },
          'after',
          'never blocks',
        ],
      ] as const
    ).map(([name, after, changes, where, words]): [string, unknown, string, string] => [
      name,
      withRule({ after, ...changes }),
      `rules[0].${where}`,
      words,
    ]),
    ['a flag that is a text', withRule({ enabled: 'yes' }), 'rules[0].enabled', 'true or false'],
    [
      'an override without an end',
      { ...BASE, overrides: [{ id: 'o', effect: 'allow', who: {}, from: '2026-11-27T20:00:00Z' }] },
      'overrides[0].until',
      'is missing',
    ],
    [
      'an override backwards',
      {
        ...BASE,
        overrides: [
          {
            id: 'o',
            effect: 'allow',
            who: {},
            from: '2026-11-27T20:00:00Z',
            until: '2026-11-27T20:00:00+00:00',
          },
        ],
      },
      'overrides[0]',
      'not after it begins',
    ],
    ...(
      [
        [
          'what',
          'more that is of a part',
          { more: { minutes: 20 }, what: { sites: ['reelbrook.example'] } },
          'leave out "what"',
        ],
        ['what.apps[0]', 'a part that is not there', { what: { apps: ['gone'] } }, '"gone" is not an app'],
        ['what', 'a part and all', { what: { internet: true, services: ['tcp/21'] } }, 'keep one of the two'],
      ] as const
    ).map(([where, name, more, words]): [string, unknown, string, string] => [
      `an override: ${name}`,
      { ...BASE, overrides: [{ ...BASE.overrides[0], ...more }] },
      `overrides[0].${where === 'what' && 'more' in more ? 'more' : where}`,
      words,
    ]),
    [
      'an override by the local clock',
      { ...BASE, overrides: [{ id: 'o', effect: 'allow', who: {}, from: '2026-11-27T20:00', until: null }] },
      'overrides[0].from',
      'is not an instant',
    ],
  ]

  test.each(cases)('%s', (_, document, path, words) => {
    expect(faultsOf(document)).toContainEqual({ path, message: expect.stringContaining(words) as unknown })
  })

  test('every fault is named, not the first alone', () => {
    expect(
      faultsOf({
        ...BASE,
        kairostat: 0,
        place: {},
        rules: [{ ...rule, effect: 'deny', who: { groups: ['x'] } }],
        extra: 1,
      })
        .map(({ path }) => path)
        .sort(),
    ).toEqual([
      'extra',
      'kairostat',
      'place.name',
      'place.timeZone',
      'rules[0].effect',
      'rules[0].who.groups[0]',
    ])
  })
})

describe('fuzzed', () => {
  // A place in the document is replaced, or given a key too many.
  const damaged = fc
    .tuple(
      documents,
      fc.nat(),
      fc.oneof(fc.anything(), fc.constantFrom<unknown>(null, '', 'x y', -1, [[]], {}, '24:61')),
    )
    .map(([document, seed, value]) => damage(structuredClone(document) as Json, seed, value))

  test('a document is never half read, nor does any value crash the reader', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.anything({ withNullPrototype: true, withBigInt: true, withDate: true, withSparseArray: true }),
          damaged,
        ),
        (value) => {
          const read = readPolicy(value)
          if ('faults' in read)
            expect([
              read.faults.length > 0,
              read.faults.filter(({ path, message }) => typeof path !== 'string' || message === ''),
            ]).toEqual([true, []])
          else expect(digestOf(policyOf(documentOf(read.policy)))).toBe(digestOf(read.policy))
        },
      ),
      { numRuns: 2000 },
    )
  })

  test('a document with an unknown key anywhere never passes', () => {
    fc.assert(
      fc.property(documents, fc.nat(), (document, seed) => {
        const objects = objectsIn(document)
        const copy = structuredClone(document)
        ;(objectsIn(copy)[seed % objects.length] as Json).unknownKey = 1
        expect(faultsOf(copy).some(({ path }) => path.endsWith('unknownKey'))).toBe(true)
      }),
      { numRuns: 500 },
    )
  })

  test('what the reader takes fits the JSON Schema, as it was written and in canonical form', () => {
    fc.assert(
      fc.property(fc.oneof(documents, damaged), (document) => {
        const read = readPolicy(document)
        if ('faults' in read) return
        expect([fits(document), fits(documentOf(read.policy)), fits.errors]).toEqual([true, true, null])
      }),
      { numRuns: 500 },
    )
  })
})

test('the JSON Schema refuses what a schema can see', () => {
  for (const document of [
    { ...BASE, colour: 1 },
    withRule({ effect: 'deny' }),
    { ...BASE, place: {} },
    withRule({ when: { from: '2026-12-05T14:00' } }),
  ])
    expect(fits(document)).toBe(false)
})

describe('canonical form', () => {
  test('reading it gives the same policy, and the digest stays', () => {
    fc.assert(
      fc.property(policies, (policy) => {
        const again = policyOf(JSON.parse(canonicalText(policy)))
        expect(again).toEqual({ ...policy, spent: [] })
        expect(digestOf(again)).toBe(digestOf(policy))
      }),
      { numRuns: 300 },
    )
  })

  test('notation, defaults and the order of keys do not count; order of rules does', () => {
    const other = {
      ...BASE,
      siteLists: [],
      devices: [
        { shielded: false, adapters: [{ medium: 'wifi', mac: '025E10000001' }], name: 'Till', id: 'till' },
      ],
      schedules: [{ id: 'nights', name: 'Nights', week: 'mo-su 22:00-31:00' }],
    }
    expect(digestOf(policyOf(other))).toBe(digestOf(policyOf(BASE)))
    const two = (ids: string[]) => digestOf(policyOf({ ...BASE, rules: ids.map((id) => ({ ...rule, id })) }))
    expect(two(['a', 'b'])).not.toBe(two(['b', 'a']))
  })

  test('the digest is SHA-256 over sorted keys', () => {
    const policy = policyOf({ kairostat: 1, place: { timeZone: 'UTC', name: 'B' } })
    expect([canonicalText(policy), digestOf(policy)]).toEqual([
      '{"kairostat":1,"place":{"name":"B","timeZone":"UTC"}}',
      '00613bc6014cb2ed96702de59f1818cdcd6dae102fe61c98d8a87d2da016cb6b',
    ])
  })
})

test('ids are made from names and stay apart', () => {
  expect([
    freeId('Lena’s laptop', []),
    freeId('Büro', ['buro']),
    freeId('Büro', ['buro', 'buro-2']),
    freeId('…', []),
  ]).toEqual(['lena-s-laptop', 'buro-2', 'buro-3', 'unnamed'])
})

function objectsIn(value: unknown): object[] {
  if (typeof value !== 'object' || value === null) return []
  return [...(Array.isArray(value) ? [] : [value]), ...Object.values(value).flatMap(objectsIn)]
}

function damage(document: Json, seed: number, value: unknown): unknown {
  const objects = objectsIn(document)
  const object = objects[seed % objects.length] as Json
  const keys = Object.keys(object)
  const key = keys[Math.floor(seed / objects.length) % keys.length]
  if (key !== undefined) object[key] = value
  return document
}
