import { expect, test } from 'vitest'
import { makerOf } from './vendor.ts'

test('the maker of an address is found by its longest prefix, and none is made up', async () => {
  // 36 bits, 28 bits, and the 24 bits that stand above each; then an address of one's own making.
  const [long, middle, aboveLong, aboveMiddle, local] = await Promise.all(
    [
      '00:1b:c5:00:00:01',
      '00:55:da:00:00:01',
      '00:1b:c5:ff:ff:ff',
      '00:55:da:ff:ff:ff',
      '02:1b:c5:00:00:01',
    ].map(makerOf),
  )
  expect([long, middle, aboveLong, aboveMiddle].map((maker) => typeof maker)).toEqual([
    'string',
    'string',
    'string',
    'string',
  ])
  expect([long === aboveLong, middle === aboveMiddle, local]).toEqual([false, false, null])
})
