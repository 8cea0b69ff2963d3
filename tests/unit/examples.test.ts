import { readdirSync, readFileSync } from 'node:fs'
import { expect, test } from 'vitest'

/** An example out of a comment: `@example EXPRESSION // VALUE`, both in terms of the exports of its file. */
interface Example {
  readonly file: string
  readonly expression: string
  readonly value: string
}

const examples = ['core', 'node'].flatMap((folder) =>
  readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.ts') && !name.endsWith('.test.ts'))
    .flatMap((name) => examplesIn(`${folder}/${name}`)),
)

function examplesIn(file: string): Example[] {
  return [...readFileSync(file, 'utf8').matchAll(/@example (.*?)(?: \/\/ (.*))?$/gm)].map(
    ([, expression, value = '']) => ({ file, expression: expression!, value }),
  )
}

/** Evaluates an expression with the exports of a module in scope; TypeScript's `!` is left out. */
function evaluate(expression: string, scope: Record<string, unknown>): unknown {
  const script = `return (${expression.replaceAll(/!(?=[.,)])/g, '')})`
  return (new Function(...Object.keys(scope), script) as (...values: unknown[]) => unknown)(
    ...Object.values(scope),
  )
}

test('there are forty examples or more in core', () => {
  expect(examples.filter(({ file }) => file.startsWith('core/')).length).toBeGreaterThanOrEqual(40)
})

test.each(examples)('$file: $expression', async ({ file, expression, value }) => {
  const scope = (await import(/* @vite-ignore */ `../../${file}`)) as Record<string, unknown>
  expect(evaluate(expression, scope)).toEqual(evaluate(value, scope))
})
