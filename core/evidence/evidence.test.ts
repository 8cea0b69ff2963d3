import { describe, expect, test } from 'vitest'
import { coverageOf, keywordCatches, siteCovers } from './coverage.ts'
import { proposalsOf } from './learn.ts'

const seen = (name: string, tries = 1) => ({ name, adapters: 1, tries })
const NAMES = [
  seen('reelbrook.example', 4),
  seen('img.reelbrook.example', 9),
  seen('reelbrook-previews.example'),
  seen('tile.example'),
  seen('www.tilefall.example'),
  seen('mystreams.example'),
  seen('streamside-leather.example', 7),
]

test.each<[string, { name: string; sites: string[] }[], string[], [string, string, string][]]>([
  [
    'a whole domain, and a name that looks like it',
    [{ name: 'Reelbrook', sites: ['reelbrook.example'] }],
    ['img.reelbrook.example', 'reelbrook.example'],
    [['reelbrook-previews.example', 'word', 'reelbrook']],
  ],
  [
    'one host of a domain misses the rest of it',
    [{ name: 'Pictures', sites: ['img.reelbrook.example'] }],
    ['img.reelbrook.example'],
    [
      ['reelbrook.example', 'domain', 'reelbrook.example'],
      ['reelbrook-previews.example', 'word', 'reelbrook'],
    ],
  ],
  [
    'what is called as the app is',
    [{ name: 'Tilefall!', sites: ['203.0.113.0/24'] }],
    [],
    [['www.tilefall.example', 'word', 'tilefall']],
  ],
  ['short words make nothing similar', [{ name: 'Til', sites: ['til.example'] }], [], []],
  [
    'several apps together',
    [
      { name: 'A', sites: ['tile.example'] },
      { name: 'B', sites: ['tilefall.example'] },
    ],
    ['tile.example', 'www.tilefall.example'],
    [],
  ],
  ['nothing', [], [], []],
])('coverage: %s', (_, apps, caught, similar) => {
  const coverage = coverageOf(apps, NAMES)
  expect(coverage.caught.map(({ name }) => name)).toEqual(caught)
  expect(coverage.similar.map(({ seen: { name }, because }) => [name, because.kind, because.what])).toEqual(
    similar,
  )
})

test('a keyword’s catches tell what no list has', () => {
  const listed = siteCovers(['mystreams.example', '203.0.113.9'])
  expect(keywordCatches('stream', NAMES, listed)).toEqual({
    caught: [NAMES[6], NAMES[5]],
    unlisted: [NAMES[6]],
  })
  expect(keywordCatches('bücher', [seen('xn--bcher-kva.example')], () => false).caught.length).toBe(1)
})

describe('learning', () => {
  const watched = (name: string, more: object = {}) => ({
    name,
    tries: 1,
    first: '2026-11-23T10:00:05Z',
    last: '2026-11-23T10:00:09Z',
    usual: false,
    others: [] as string[],
    ...more,
  })

  test('names are proposed by domain: what is new to the device first, and before it what nobody else uses', () => {
    const names = [
      watched('mail.saltmarsh.example', { usual: true, tries: 90 }),
      watched('quillpost.example', { tries: 2 }),
      watched('media.quillpost.example', { tries: 3, first: '2026-11-23T10:00:01Z', others: ['b', 'a'] }),
      watched('shared.example', { tries: 50, others: ['a'] }),
      watched('cdn.qp-letters.example', { tries: 2 }),
    ]
    expect(
      proposalsOf(names).map(({ names: list, first, last, ...rest }) => ({
        ...rest,
        first: first.slice(17),
        last: last.slice(17),
        names: list.length,
      })),
    ).toEqual([
      {
        domain: 'qp-letters.example',
        site: 'cdn.qp-letters.example',
        tries: 2,
        usual: false,
        others: [],
        first: '05Z',
        last: '09Z',
        names: 1,
      },
      {
        domain: 'shared.example',
        site: 'shared.example',
        tries: 50,
        usual: false,
        others: ['a'],
        first: '05Z',
        last: '09Z',
        names: 1,
      },
      {
        domain: 'quillpost.example',
        site: 'quillpost.example',
        tries: 5,
        usual: false,
        others: ['a', 'b'],
        first: '01Z',
        last: '09Z',
        names: 2,
      },
      {
        domain: 'saltmarsh.example',
        site: 'mail.saltmarsh.example',
        tries: 90,
        usual: true,
        others: [],
        first: '05Z',
        last: '09Z',
        names: 1,
      },
    ])
    expect(proposalsOf([])).toEqual([])
  })
})
