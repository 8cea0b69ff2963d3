import { expect, test } from 'vitest'
import { wifiText } from './wifi.ts'

test.each([
  [{ name: 'Bindery guests', key: 'glue-pot-7' }, 'WIFI:T:WPA;S:Bindery guests;P:glue-pot-7;;'],
  [{ name: 'a;b,c:d"e\\f', key: ';' }, 'WIFI:T:WPA;S:a\\;b\\,c\\:d\\"e\\\\f;P:\\;;;'],
  [{ name: 'Open', key: '' }, 'WIFI:T:nopass;S:Open;;'],
])('%j is joined by %s', (access, text) => {
  expect(wifiText(access)).toBe(text)
})
