import fc from 'fast-check'
import { expect, test } from 'vitest'
import { policies, policyOf } from '../../tests/support/arbitraries.ts'
import { demoDocument } from '../../server/demo/policy.ts'
import { readCatalogue } from './app-catalogue.ts'
import { writeCatalogue } from '../export/app-catalogue.ts'

const { apps } = policyOf(demoDocument('2026-11-28'))

test('what is written is read back, as new where nothing is there and as the same where it is', () => {
  fc.assert(
    fc.property(policies, ({ apps: some }) => {
      const unique = some.filter(
        ({ name }, index) =>
          some.findIndex((other) => other.name === name) === index &&
          !some.some((other) => other.id === name),
      )
      const text = writeCatalogue(unique)
      expect(readCatalogue(text, [])).toEqual({
        rows: unique.map(({ id: _id, ...app }) => ({ app, was: null, change: 'added' })),
      })
      expect(readCatalogue(text, unique)).toEqual({
        rows: unique.map(({ id: _id, ...app }, index) => ({ app, was: unique[index], change: 'same' })),
      })
    }),
    { numRuns: 60 },
  )
})

test('an app is found again by its id, else by its name', () => {
  const rows = readCatalogue(
    `
kairostat-apps: 1
apps:
  - { id: tilefall, name: Tilefall Deluxe, category: games, sites: [https://www.tilefall.example] }
  - { name: Chatterling, category: chat, sites: [chatterling.example] }
  - { id: elsewhere, name: Tunecask, category: sound, sites: [tunecask.example], services: [tcp/1935] }
  - { name: Quillpost, category: chat, services: [udp/4001] }
`.replace('https://www.', ''),
    apps,
  )
  expect(
    'rows' in rows && rows.rows.map(({ app, was, change }) => [app.name, was?.id ?? null, change]),
  ).toEqual([
    ['Tilefall Deluxe', 'tilefall', 'changed'],
    ['Chatterling', 'chatterling', 'same'],
    ['Tunecask', 'tunecask', 'changed'],
    ['Quillpost', null, 'added'],
  ])
})

test.each<[string, string, [number, string][]]>([
  [
    'no catalogue',
    'kairostat: 1',
    [
      [1, 'kairostat is not a key'],
      [1, 'kairostat-apps is missing'],
    ],
  ],
  ['another version', '{"kairostat-apps": 2, "apps": []}', [[1, 'this program reads format version 1']]],
  ['a broken file', 'kairostat-apps: 1\napps: [', [[2, 'cannot be read']]],
  [
    'a site that is none, an app without a category, one named twice',
    'kairostat-apps: 1\napps:\n  - name: A\n    category: x\n    sites: [no such..name]\n  - name: B\n  - { name: C, category: x }\n  - { name: C, category: y }',
    [
      [5, 'apps[0].sites[0] "no such..name"'],
      [6, 'apps[1].category is missing'],
      [8, 'apps[3].name "C" stands for an app that the file names already'],
    ],
  ],
])('%s is refused by line', (_, text, faults) => {
  const read = readCatalogue(text, apps)
  expect(
    'faults' in read && read.faults.map(({ line, path, message }) => [line, `${path} ${message}`]),
  ).toEqual(faults.map(([line, words]) => [line, expect.stringContaining(words) as unknown]))
})
