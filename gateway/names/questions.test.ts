import { expect, test } from 'vitest'
import { LONG, questionsKnown } from './questions.ts'

const question = (index: number, id = 7) => Buffer.from([id >> 8, id & 255, ...Buffer.from(`host${index}.example`)])

test('a question is known again by all but its id, for as long as it is among the latest, and nothing else is taken for it', () => {
  const known = questionsKnown()
  const right = (index: number) => [null, question(index).toString('latin1', 2)]
  for (let index = 0; index < 100_000; index++) known.place(question(index))!.lives = index
  const found = Array.from({ length: 100_000 }, (_, index) => known.find(question(index, 4711)))
  expect(found.every((one, index) => right(index).includes(one?.question ?? null) && (one?.lives ?? index) === index)).toBe(true)
  const kept = found.filter(one => one !== null).length
  expect(kept).toBeLessThanOrEqual(32_768)
  expect(kept).toBeGreaterThan(30_000)
  // Of the latest few nearly all are there.
  expect(found.slice(-4000).filter(one => one === null).length).toBeLessThan(400)
  expect(known.place(question(99_999))).toBe(found.at(-1))
  expect([known.place(Buffer.alloc(LONG + 1)), known.find(Buffer.alloc(LONG + 1)), known.find(question(100_001))]).toEqual([null, null, null])
})
