import { expect, test } from 'vitest'
import { isOpen } from './open-routes.ts'

test('a route is open only by method and whole path', () => {
  expect(
    [
      ['GET', '/sign-in'],
      ['HEAD', '/sign-in'],
      ['POST', '/api/session'],
      ['GET', '/_nuxt/a.js'],
    ].map(([method, path]) => isOpen(method!, path!)),
  ).toEqual([true, true, true, true])
  expect(
    [
      ['POST', '/sign-in'],
      ['DELETE', '/api/session'],
      ['GET', '/sign-in/x'],
      ['GET', '/api/draft'],
      ['GET', '/'],
      ['POST', '/_nuxt/a.js'],
      ['GET', '/_nuxt'],
    ].map(([method, path]) => isOpen(method!, path!)),
  ).toEqual(Array(7).fill(false))
})
