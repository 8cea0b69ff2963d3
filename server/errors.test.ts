import { readFileSync } from 'node:fs'
import { expect, test } from 'vitest'
import { ERRORS } from './errors.ts'

test('docs/errors.md is the table of errors', () => {
  const documented = [
    ...readFileSync(new URL('../docs/errors.md', import.meta.url), 'utf8').matchAll(
      /^\| `([^`]+)` \| (\d+) \| (.+) \|$/gm,
    ),
  ].map(([, code, status, words]) => [code, { status: Number(status), words }])
  expect(Object.fromEntries(documented)).toEqual(ERRORS)
})
