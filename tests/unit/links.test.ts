import { existsSync, readdirSync, readFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { expect, test } from 'vitest'

test('every link of the documents leads to a file that is there, and to a heading that it has', () => {
  const files = ['.', 'docs', 'docs/decisions'].flatMap((folder) =>
    readdirSync(folder)
      .filter((name) => name.endsWith('.md'))
      .map((name) => join(folder, name)),
  )
  const links = files
    .flatMap((file) =>
      [...readFileSync(file, 'utf8').matchAll(/\]\(([^)\s]+)\)/g)].map(([, to]) => ({ file, to: to! })),
    )
    .filter(({ to }) => !/^[a-z]+:/.test(to))
  expect(links.length).toBeGreaterThan(40)
  const anchors = (file: string) =>
    [...readFileSync(file, 'utf8').matchAll(/^#+ (.*)$/gm)].map(([, heading]) =>
      heading!
        .toLowerCase()
        .replace(/[^\p{L}\p{N} -]/gu, '')
        .replaceAll(' ', '-'),
    )
  const broken = links.filter(({ file, to }) => {
    const [path, anchor] = to.split('#') as [string, string?]
    const target = path === '' ? file : join(dirname(file), path)
    return !existsSync(target) || (anchor !== undefined && !anchors(target).includes(anchor))
  })
  expect(broken).toEqual([])
})
