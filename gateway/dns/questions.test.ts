import { expect, test } from 'vitest'
import { questionsKnown, ROOM } from './questions.ts'

const question = (index: number, id = 7) =>
  Buffer.from([id >> 8, id & 255, ...Buffer.from(`host${index}.example`)])

test('a question is known again by all but its id, for as long as it is among the latest, and nothing else is taken for it', () => {
  const known = questionsKnown()
  for (let index = 0; index < 100_000; index++)
    known.keep(known.place(question(index)), Buffer.from(`found ${index}`), 1000, 9, [])
  const found = Array.from({ length: 100_000 }, (_, index) => {
    const place = known.find(question(index, 4711))
    return place < 0 ? null : known.found(place).toString()
  })
  expect(found.every((one, index) => one === null || one === `found ${index}`)).toBe(true)
  const kept = found.filter((one) => one !== null).length
  expect(kept).toBeLessThanOrEqual(16_384)
  expect(kept).toBeGreaterThan(15_000)
  // Of the latest few nearly all are there.
  expect(found.slice(-2000).filter((one) => one === null).length).toBeLessThan(200)
  expect(known.place(question(99_999))).toBe(known.find(question(99_999, 4711)))
  expect([
    known.place(Buffer.alloc(ROOM + 3)),
    known.find(Buffer.alloc(ROOM + 3)),
    known.find(question(100_001)),
  ]).toEqual([-1, -1, -1])
})

test('what was found lives for its seconds, goes where another comes that is too long, and is not that of who takes the place over', () => {
  const known = questionsKnown()
  const place = known.place(question(1))
  expect(known.age(place, 0)).toBe(-1)
  known.keep(place, Buffer.from('short'), 1000, 2, ['a.example'])
  expect([1000, 1999, 2999, 3000].map((at) => known.age(place, at))).toEqual([0, 0, 1, -1])
  const longest = Buffer.alloc(ROOM - question(1).length + 2, 'x')
  known.keep(place, longest, 1000, 2, [])
  expect(known.found(place)).toEqual(longest)
  known.keep(place, Buffer.concat([longest, longest]), 1000, 2, [])
  expect(known.age(place, 1000)).toBe(-1)
  for (let index = 2; index < 400_000; index++) {
    const other = known.place(question(index))
    expect([known.age(other, 1000), known.closed[other]] satisfies [number, unknown]).toEqual([-1, null])
    if (other === place) return
    if (other % 8 === place % 8) known.keep(other, longest, 1000, 2, [])
  }
  throw new Error('Nobody took the place over.')
})
