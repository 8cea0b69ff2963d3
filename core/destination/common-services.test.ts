import { expect, test } from 'vitest'
import { COMMON_SERVICES, commonServices } from './common-services.ts'
import { readService, serviceText } from './service.ts'

test('every common service is written as services are, and found by each of its words', () => {
  for (const { name, also, services } of COMMON_SERVICES) {
    expect(services.map((text) => serviceText(readService(text)!))).toEqual(services)
    for (const word of [name, ...also])
      expect(commonServices(word.slice(0, 5)).map((one) => one.name)).toContain(name)
  }
  expect([commonServices(''), commonServices('gopher')]).toEqual([[], []])
})
