import { describe, expect, test } from 'vitest'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { adapterFindings } from './adapters.ts'

const mac = (last: number) => `02:5e:10:00:00:0${last}`
const policy = policyOf({
  kairostat: 1,
  place: { name: 'B', timeZone: 'UTC' },
  devices: [
    { id: 'laptop', name: 'Laptop', kind: 'laptop', adapters: [{ mac: mac(1), medium: 'ethernet' }] },
    { id: 'phone', name: 'Phone', kind: 'phone', adapters: [{ mac: mac(2), medium: 'wifi' }] },
    { id: 'saw', name: 'Saw', kind: 'machine', adapters: [{ mac: mac(3), medium: 'ethernet' }] },
    { id: 'tablet', name: 'Tablet', kind: 'tablet', adapters: [] },
  ],
})
const seen = (...list: [last: number, hostName: string | null][]) =>
  list.map(([last, hostName]) => ({ mac: mac(last), hostName }))
const cable = { kind: 'wifi-missing', device: 'laptop' }

describe('findings about adapters', () => {
  test.each<[string, ReturnType<typeof seen>, unknown[]]>([
    [
      'a laptop with a cable alone; a machine may have one alone, and what has no adapter yet says nothing',
      [],
      [cable],
    ],
    [
      'an address seen under a device’s host name, in any case',
      seen([2, 'PHONE'], [7, 'phone'], [8, 'other']),
      [cable, { kind: 'second-adapter', device: 'phone', mac: mac(7), hostName: 'PHONE' }],
    ],
    [
      'two devices under one host name, told once, at the first',
      seen([3, 'till'], [2, 'till']),
      [cable, { kind: 'one-machine', device: 'phone', other: 'saw', hostName: 'till' }],
    ],
    [
      'a name that many have, or none, says nothing',
      seen(
        [1, 'default'],
        [2, 'default'],
        [7, 'default'],
        [8, 'default'],
        [9, 'default'],
        [3, null],
        [6, null],
      ),
      [cable],
    ],
    ['two newcomers of one name are nobody’s', seen([7, 'visitor'], [8, 'visitor']), [cable]],
  ])('%s', (_, sightings, expected) => {
    expect(adapterFindings(policy, sightings)).toEqual(expected)
  })

  test('end where they are mended', () => {
    const mended = {
      devices: policy.devices.map((device) =>
        device.id === 'laptop'
          ? { ...device, adapters: [...device.adapters, { mac: mac(7), medium: 'wifi' as const }] }
          : device,
      ),
    }
    expect(adapterFindings(mended, seen([1, 'laptop'], [7, 'laptop']))).toEqual([])
  })
})
