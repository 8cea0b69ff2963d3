import { readdirSync, readFileSync } from 'node:fs'
import { expect, test } from 'vitest'

const css = readFileSync('app/assets/main.css', 'utf8')
/** The colours of a theme, by their names. */
function tokens(selector: string): Record<string, string> {
  const [, block = ''] = new RegExp(`^${selector.replace('.', '\\.')} \\{([^}]*)\\}`, 'm').exec(css) ?? []
  return Object.fromEntries(
    [...block.matchAll(/--([a-z-]+): (#[0-9a-f]{3,6});/g)].map(([, name, colour]) => [
      name!,
      colour!.length === 4 ? colour!.replace(/[0-9a-f]/g, '$&$&') : colour!,
    ]),
  )
}
/** The relative luminance and the contrast ratio of WCAG 2.2. */
function luminance(colour: string): number {
  const [red, green, blue] = [1, 3, 5]
    .map((at) => parseInt(colour.slice(at, at + 2), 16) / 255)
    .map((part) => (part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4)) as [
    number,
    number,
    number,
  ]
  return 0.2126 * red + 0.7152 * green + 0.0722 * blue
}
function contrast(one: string, other: string): number {
  const [light, dark] = [luminance(one), luminance(other)].sort((a, b) => b - a) as [number, number]
  return (light + 0.05) / (dark + 0.05)
}

/** The pairs of foreground and background, and the least contrast between them. */
const PAIRS: readonly (readonly [front: string, backs: readonly string[], least: number])[] = [
  ['ink', ['paper', 'leaf'], 7],
  ['soft', ['paper', 'leaf'], 4.5],
  ['warn', ['paper', 'leaf'], 4.5],
  ['danger', ['paper', 'leaf'], 4.5],
  ['warn-ink', ['warn-paper'], 7],
  ['needle-ink', ['needle'], 4.5],
  ['line', ['paper', 'leaf'], 3],
  ['allow', ['paper', 'leaf'], 3],
  ['second', ['paper', 'leaf'], 3],
  ['needle', ['paper', 'leaf'], 3],
]

test.each([
  ['light', tokens(':root')],
  ['dark', { ...tokens(':root'), ...tokens('.dark') }],
])('the colours of the %s theme can be told apart', (_theme, colours) => {
  expect(Object.keys(tokens('.dark')).length).toBeGreaterThan(10)
  const low = PAIRS.flatMap(([front, backs, least]) =>
    backs.map((back) => ({ front, back, ratio: contrast(colours[front]!, colours[back]!), least })),
  ).filter(({ ratio, least }) => !(ratio >= least))
  expect(low).toEqual([])
})

test('no text is smaller than 13 pixels', () => {
  const files = readdirSync('app', { recursive: true, encoding: 'utf8' }).filter((name) =>
    /\.(?:vue|css)$/.test(name),
  )
  const small = files.flatMap((name) =>
    [...readFileSync(`app/${name}`, 'utf8').matchAll(/\bfont(?:-size)?:[^;}]*?\b(\d+(?:\.\d+)?)px/g)]
      .filter(([, size]) => Number(size) < 13)
      .map(([rule]) => `${name}: ${rule}`),
  )
  expect([files.length > 50, small]).toEqual([true, []])
})
