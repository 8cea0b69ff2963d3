import type { Answer } from 'dns-packet'
import { expect, test } from 'vitest'
import { ZoneRecords, ZoneTooLarge } from './zone-records.ts'

const zone = 'rpz.example'
const start = {
  name: zone,
  type: 'SOA',
  data: { mname: '.', rname: '.', serial: 7, refresh: 1, retry: 1, expire: 1, minimum: 1 },
} as Answer
const record = (name: string): Answer => ({ name: `${name}.${zone}`, type: 'CNAME', data: '.' })

test('a zone that becomes too large is taken no further', () => {
  for (const most of [
    { records: 3, characters: 1000 },
    { records: 1000, characters: 60 },
  ]) {
    const records = new ZoneRecords(zone, null, most)
    records.take(start)
    let taken = 0
    expect(() => {
      for (; taken < 100; taken++) records.take(record(`name-${taken}`))
    }).toThrow(ZoneTooLarge)
    expect(taken).toBeLessThan(6)
  }
})
