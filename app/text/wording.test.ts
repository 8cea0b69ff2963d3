import { readdirSync, readFileSync } from 'node:fs'
import { expect, test } from 'vitest'
import { TERMS } from './help.ts'

/** Words that the interface says no longer, by what it says instead. */
const RETIRED: readonly (readonly [RegExp, string])[] = [
  [/\bcuts? off\b/i, 'blocked'],
  [/\b(?:re)?open(?:s|ed)? until\b/i, 'allowed'],
  [/\bclosed\b/i, 'blocked'],
  [/\blisted only\b/i, 'listed sites only'],
  [/\bfiltered\b/i, 'partly blocked'],
  [/\bshield/i, 'never blocked'],
  [/\bput live\b/i, 'apply'],
  [/\bin step\b/i, 'up to date'],
  [/\bin force\b/i, 'active'],
  [/\bspeaks? of\b/i, 'covers'],
  [/\bmeets\b/i, 'applies to'],
  [/\blift(?:ed|s)?\b/i, 'end'],
  [/\btake (?:in|out)\b/i, 'import, delete, remove'],
  [/\bnewcomers?\b/i, 'unknown device'],
  [/\bunmeant\b/i, 'warning'],
  [/\bset aside\b/i, 'dismiss'],
  [/\bproof\b/i, 'activity'],
  [/\bmachines?\b/i, 'device'],
  [/\bis no (?!longer)/i, 'is not a'],
  [/\bkept?\b in the draft/i, 'save'],
  [/\bwho is there\b/i, 'sign in'],
]

/**
 * The texts of a source that are shown: what stands between tags and in attributes that are read, and string
 * literals with a blank in them; of a page's texts, all.
 */
function textsOf(file: string): string[] {
  const whole = readFileSync(file, 'utf8')
  const isPageText = /^export const \w+Text = /m.test(whole)
  const source = whole.replace(/<style[\s\S]*?<\/style>/g, '')
  const template = /<template>[\s\S]*<\/template>/.exec(source)?.[0].replace(/<!--[\s\S]*?-->/g, '') ?? ''
  const script = source
    .replace(/<template>[\s\S]*<\/template>/, '')
    .replace(/\/\*[\s\S]*?\*\//g, '')
    .replace(/^\s*\/\/.*$/gm, '')
    .replace(/^import .*$/gm, '')
  const literals = (code: string) =>
    [...code.matchAll(/'((?:[^'\\\n]|\\.)*)'|`((?:[^`\\]|\\.)*)`/g)]
      .map(([, plain, pattern]) => (plain ?? pattern!).replace(/\$\{[^{}]*\}/g, '…'))
      .filter((text) => isPageText || /\w \w/.test(text))
  const between = [...template.replace(/\{\{[\s\S]*?\}\}/g, '…').matchAll(/>([^<>]+)</g)].map(([, text]) =>
    text!.trim(),
  )
  const attributes = [
    ...template.matchAll(/\s(?:aria-label|placeholder|title|label|help|alt)="([^"]*)"/g),
  ].map(([, text]) => text!)
  return [...between, ...attributes, ...literals(script), ...literals(template)].filter((text) =>
    /[a-z]{3}/i.test(text),
  )
}

test('no text of the interface uses a retired word', () => {
  const files = ['app', 'core/words'].flatMap((folder) =>
    readdirSync(folder, { recursive: true, encoding: 'utf8' })
      .filter((name) => /\.(?:vue|ts)$/.test(name) && !name.endsWith('.test.ts'))
      .map((name) => `${folder}/${name}`),
  )
  const texts = files.flatMap((file) => textsOf(file).map((text) => ({ file, text })))
  expect(texts.length).toBeGreaterThan(600)
  expect(
    texts.flatMap(({ file, text }) =>
      RETIRED.filter(([word]) => word.test(text)).map(
        ([, instead]) => `${file}: “${text.replace(/\s+/g, ' ').slice(0, 120)}”: say ${instead}`,
      ),
    ),
  ).toEqual([])
})

test('no document does either, outside of code and of the decisions, which are of their time', () => {
  const files = [
    'README.md',
    'CHANGELOG.md',
    'CONTRIBUTING.md',
    'SECURITY.md',
    ...readdirSync('docs')
      .filter((name) => name.endsWith('.md'))
      .map((name) => `docs/${name}`),
  ]
  expect(files.length).toBeGreaterThan(10)
  const found = files.flatMap((file) => {
    const lines = readFileSync(file, 'utf8')
      .replace(/```[\s\S]*?```/g, (code) => code.replace(/[^\n]/g, ''))
      .replace(/`[^`]*`/g, '')
      .split('\n')
    return lines.flatMap((line, index) =>
      line.startsWith('    ')
        ? []
        : RETIRED.filter(([word]) => word.test(line)).map(
            ([word, instead]) => `${file}:${index + 1}: “${word.exec(line)![0]}”: say ${instead}`,
          ),
    )
  })
  expect(found).toEqual([])
})

test('the guide explains the terms as the page of help does', () => {
  const guide = readFileSync('docs/guide.md', 'utf8')
  expect(TERMS.length).toBe(11)
  for (const [term, meaning] of TERMS) expect(guide).toContain(`- **${term}**: ${meaning}\n`)
})
