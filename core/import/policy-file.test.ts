import fc from 'fast-check'
import { expect, test } from 'vitest'
import { policies } from '../../tests/support/arbitraries.ts'
import { readPolicyFile } from './policy-file.ts'
import { writePolicyFile } from '../export/policy-file.ts'

test('a policy goes through a file of either form unchanged, but for its overrides', () => {
  fc.assert(
    fc.property(policies, fc.constantFrom('json' as const, 'yaml' as const), (policy, form) => {
      expect(readPolicyFile(writePolicyFile(policy, form))).toEqual({
        policy: { ...policy, overrides: [], spent: [] },
      })
    }),
    { numRuns: 60 },
  )
})

const faults = (text: string) => {
  const result = readPolicyFile(text)
  return 'faults' in result ? result.faults.map(({ line, path }) => [line, path]) : []
}

test.each<[string, string, unknown[]]>([
  [
    'YAML',
    'kairostat: 1\nplace:\n  name: B\n  timeZone: Nowhere\ndevices:\n  - id: till\n    name: Till\n    adapters:\n      - mac: x\n        medium: wifi\n  - id: till\n',
    [
      [4, 'place.timeZone'],
      [9, 'devices[0].adapters[0].mac'],
      [11, 'devices[1].name'],
      [11, 'devices[1].id'],
    ],
  ],
  [
    'JSON',
    '{\n  "kairostat": 1,\n  "place": { "name": "B", "timeZone": "UTC" },\n  "rules": [\n    { "id": "r", "effect": "deny" }\n  ]\n}',
    [
      [5, 'rules[0].name'],
      [5, 'rules[0].effect'],
      [5, 'rules[0].who'],
      [5, 'rules[0].what'],
      [5, 'rules[0].when'],
    ],
  ],
  ['a file cut off', '{ "kairostat": 1,\n "place": {', [[2, '']]],
  ['a key twice', 'kairostat: 1\nkairostat: 1\n', [[2, '']]],
])('faults of %s are told by line', (_, text, expected) => {
  expect(faults(text)).toEqual(expect.arrayContaining(expected.slice(0, 1)))
  expect(faults(text).filter(([line]) => (line as number) < 1)).toEqual([])
  for (const one of expected) expect(faults(text)).toContainEqual(one)
})

test('no text makes the reading fail', () => {
  fc.assert(
    fc.property(
      fc.oneof(
        fc.string(),
        fc
          .array(
            fc.constantFrom(
              'kairostat: 1',
              '- ',
              '{',
              '}',
              '[',
              ': ',
              '\n',
              '  ',
              '&a',
              '*a',
              '"',
              '? ',
              '!!map',
            ),
          )
          .map((parts) => parts.join('')),
      ),
      (text) => {
        const result = readPolicyFile(text)
        if ('faults' in result) expect(result.faults.length).toBeGreaterThan(0)
      },
    ),
    { numRuns: 500 },
  )
})
