import { readdirSync, readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { expect, test } from 'vitest'

const IMPORT = /(?:import|export)\s[^'"]*?from\s+['"](\.[^'"]+)['"]/g

const files = ['core', 'protocol', 'cli', 'gateway', 'server', 'app']
  .flatMap((folder) =>
    readdirSync(folder, { recursive: true, encoding: 'utf8' }).map((name) => join(folder, name)),
  )
  .filter((file) => /\.(ts|vue)$/.test(file))
const importsOf = new Map(
  files.map((file) => [
    file,
    [...readFileSync(file, 'utf8').matchAll(IMPORT)].map(([, path]) => join(dirname(file), path!)),
  ]),
)

/** The first way from a file back to itself by imports, types too; `null` = none. */
function circleFrom(file: string): string[] | null {
  const seen = new Set<string>()
  const walk = (at: string, way: readonly string[]): string[] | null => {
    for (const next of importsOf.get(at) ?? []) {
      if (next === file) return [...way, next]
      if (seen.has(next)) continue
      seen.add(next)
      const circle = walk(next, [...way, next])
      if (circle) return circle
    }
    return null
  }
  return walk(file, [file])
}

test('no import runs in a circle', () => {
  expect([...importsOf.values()].flat().length).toBeGreaterThan(1000)
  expect(files.flatMap((file) => circleFrom(file)?.join(' → ') ?? [])).toEqual([])
})
