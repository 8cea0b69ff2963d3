import Ajv2020 from 'ajv/dist/2020.js'
import { readdirSync, readFileSync } from 'node:fs'
import { describe, expect, test } from 'vitest'
import { openApiDocument } from './api-description.ts'
import { ROUTES } from './api-routes.ts'
import { needOf } from './needs.ts'
import { roleFor } from '../../protocol/roles.ts'
import { isOpen } from './open-routes.ts'

/** Every route by its file, with the forms that it reads. */
const FILES = new Map(
  readdirSync('server/api', { recursive: true, encoding: 'utf8' })
    .filter((file) => file.endsWith('.ts') && !file.startsWith('[...'))
    .map((file): [string, { body?: string; query?: string }] => {
      const text = readFileSync(`server/api/${file}`, 'utf8')
      const [path, method] = file
        .replace(/\.ts$/, '')
        .replace(/\/?index\./, '.')
        .replace('[id]', '{id}')
        .split('.') as [string, string]
      return [
        `${method.toUpperCase()} /api/${path}`,
        { body: /bodyOf\(event, (\w+)/.exec(text)?.[1], query: /queryOf\(event, (\w+)/.exec(text)?.[1] },
      ]
    }),
)

/** Returns the least role that may call a route. */
function forWhom(name: string): string {
  const need = needOf(name)
  if (need === null) return 'whoever asks'
  return `${roleFor(need)}${ROUTES[name]!.session ? ', signed in' : ''}`
}

describe('the description of the routes', () => {
  test('names every route with the forms that it reads, who may call it, and no other', () => {
    expect(FILES.size).toBeGreaterThan(50)
    expect(
      Object.keys(ROUTES)
        .filter((name) => name !== 'GET /metrics')
        .sort(),
    ).toEqual([...FILES.keys()].sort())
    for (const [name, forms] of FILES)
      expect([name, ROUTES[name]!.body, ROUTES[name]!.query]).toEqual([name, forms.body, forms.query])
    for (const [name, { open }] of Object.entries(ROUTES)) {
      const [method, path] = name.split(' ') as [string, string]
      expect([name, open ?? false]).toEqual([name, isOpen(method, path)])
    }
  })

  test('stands in docs/api.md, route by route', () => {
    const page = readFileSync('docs/api.md', 'utf8')
    expect(page.split('\n').filter((line) => /^\| `(GET|POST|PUT|DELETE) /.test(line))).toEqual(
      Object.entries(ROUTES).map(([name, { summary }]) => `| \`${name}\` | ${summary} | ${forWhom(name)} |`),
    )
  })

  test('has schemas that take what the routes take, and refuse what they refuse', () => {
    const document = openApiDocument() as {
      components: { schemas: object }
      paths: Record<
        string,
        Record<string, { requestBody?: { content: { 'application/json': { schema: object } } } }>
      >
    }
    const ajv = new Ajv2020({ strict: false })
    ajv.addSchema({ $id: 'doc', ...document })
    const check = (path: string, method: string, value: unknown) =>
      ajv.validate(
        {
          $ref: `doc#/paths/${path.replaceAll('/', '~1')}/${method}/requestBody/content/application~1json/schema`,
        },
        value,
      )
    expect(check('/api/session', 'post', { name: 'ada', password: 'a password' })).toBe(true)
    expect(check('/api/session', 'post', { name: 'ada' })).toBe(false)
    expect(check('/api/rules/order', 'put', { ids: ['a', 'b'] })).toBe(true)
    expect(check('/api/rules/order', 'put', { ids: 'a' })).toBe(false)
    expect(
      check('/api/draft', 'put', { kairostat: 1, place: { name: 'Bindery', timeZone: 'Europe/Lisbon' } }),
    ).toBe(true)
    expect(check('/api/draft', 'put', { kairostat: 2 })).toBe(false)
    expect(check('/api/account/password', 'put', { current: 'old', next: 'short' })).toBe(false)
  })
})
