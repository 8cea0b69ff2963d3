import { expect, test } from 'vitest'
import { lookupLog } from './lookups.ts'

const [A, B] = ['02:5e:00:00:00:0a', '02:5e:00:00:00:0b']
const DAY = 86_400
const told = (log: ReturnType<typeof lookupLog>) =>
  log.since(-Infinity).map(({ mac, name, effect, tries }) => `${mac.slice(-1)} ${name} ${effect} ${tries}`)

test('look-ups are gathered into runs of at most an hour, one for each verdict', () => {
  const log = lookupLog()
  for (const [mac, effect, at] of [
    [A, 'allow', 0],
    [A, 'allow', 3599],
    [A, 'block', 3599],
    [B, 'allow', 3599],
    [A, 'allow', 3600],
  ] as const)
    log.add(mac, 'x.example', effect, at)
  expect(told(log)).toEqual([
    'a x.example allow 2',
    'a x.example block 1',
    'b x.example allow 1',
    'a x.example allow 1',
  ])
  expect(log.since(3600).length).toBe(1)
  const again = lookupLog()
  again.restore(log.since(-Infinity))
  again.add(A, 'x.example', 'allow', 3700)
  expect(told(again)).toEqual([
    'a x.example allow 2',
    'a x.example block 1',
    'b x.example allow 1',
    'a x.example allow 2',
  ])
})

test('what is exempt, too old, or not to be kept is neither kept nor left', () => {
  const log = lookupLog()
  log.add(A, 'old.example', 'allow', 0)
  log.add(A, 'x.example', 'allow', 3 * DAY)
  log.add(B, 'x.example', 'allow', 3 * DAY)
  log.set(true, 2, new Set([B]))
  log.add(B, 'y.example', 'allow', 3 * DAY)
  expect(told(log)).toEqual(['a x.example allow 1'])
  log.set(false, 2, new Set())
  log.add(A, 'z.example', 'allow', 3 * DAY)
  expect(told(log)).toEqual([])
})

test('names without end fill no memory without end, and take no place from others: the oldest of whoever asks for them go', () => {
  const log = lookupLog()
  log.add(B, 'early.example', 'allow', 0)
  for (let index = 0; index < 450_000; index++) log.add(A, `n${index}.example`, 'allow', index)
  const [other, ...kept] = log.since(-Infinity)
  expect([other!.name, kept.length <= 50_000, kept.length >= 25_000]).toEqual(['early.example', true, true])
  expect(kept.every(({ name }, index) => name === `n${450_000 - kept.length + index}.example`)).toBe(true)
})
