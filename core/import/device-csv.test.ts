import fc from 'fast-check'
import Papa from 'papaparse'
import { describe, expect, test } from 'vitest'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { DEVICE_KINDS, MEDIUMS, type Policy } from '../policy/types.ts'
import { readAddresses } from './addresses.ts'
import { readDevices } from './device-csv.ts'
import { writeDevices } from '../export/device-csv.ts'
import { intakeOf } from './intake.ts'

const mac = (last: number) => `02:5e:10:00:00:${last.toString(16).padStart(2, '0')}`
const label = fc
  .oneof(
    fc.string({ minLength: 1, maxLength: 12 }),
    fc.constantFrom('=1+1', '@x', '-', "'quoted", "''", 'a;b', 'a\\', '"x", y', 'Zoë’s\nphone', '+351;\\;'),
  )
  .map((text) => text.trim())
  .filter((text) => text !== '')
/** Places of three devices and groups with names that spreadsheets and separators stumble over. */
const places = fc
  .record({
    devices: fc.array(
      fc.record({
        name: label,
        note: fc.oneof(fc.string(), fc.constantFrom('\tx', '\r\n', '=cmd', ' lead', "'")),
        kind: fc.constantFrom(...DEVICE_KINDS),
        shielded: fc.boolean(),
        mediums: fc.array(fc.constantFrom(...MEDIUMS), { maxLength: 3 }),
      }),
      { minLength: 1, maxLength: 4 },
    ),
    groups: fc.array(
      fc.record({
        name: fc.oneof(label, fc.constantFrom('same', 'g0')),
        members: fc.array(fc.nat(3), { maxLength: 4 }),
      }),
      { maxLength: 3 },
    ),
  })
  .map(({ devices, groups }) =>
    policyOf({
      kairostat: 1,
      place: { name: 'P', timeZone: 'UTC' },
      devices: devices.map(({ mediums, ...device }, index) => ({
        ...device,
        id: `d${index}`,
        adapters: mediums.map((medium, card) => ({ mac: mac(index * 8 + card), medium })),
      })),
      groups: groups.map(({ name, members }, index) => ({
        id: `g${index}`,
        name,
        members: [...new Set(members)]
          .filter((member) => member < devices.length)
          .map((member) => `d${member}`),
      })),
    }),
  )
const take = (text: string, draft: Policy) => intakeOf(readAddresses(text), draft)
const empty = (policy: Policy): Policy => ({
  ...policy,
  devices: [],
  groups: policy.groups.map((group) => ({ ...group, members: [] })),
})

describe('a list of devices', () => {
  test.each([
    ['name,mac,group', 'Till,02:5e:10:00:00:01,Shop'],
    ['Device Name;MAC Address;Groups', 'Till;02-5E-10-00-00-01;Shop'],
    ['hostname\thwaddr\ttag', 'Till\t025e.1000.0001\tShop'],
    ['comment,owner,MAC,Name', ',Shop,02:5e:10:00:00:01,Till'],
  ])('the headings of others: “%s”', (heading, row) => {
    const { rows, unread } = readDevices(`${heading}\n${row}\n`, () => {})
    expect(unread).toEqual([])
    expect(rows).toMatchObject([
      { device: { name: 'Till', adapters: [{ mac: '02:5e:10:00:00:01' }] }, groups: ['Shop'] },
    ])
  })

  test('is read back without loss, whatever stands in it: into an empty draft and into its own', () => {
    fc.assert(
      fc.property(
        places,
        fc.constantFrom('\r\n', '\n'),
        fc.constantFrom('', '\uFEFF'),
        (policy, newline, mark) => {
          const text = mark + writeDevices(policy)
          const reading = readAddresses(text)
          expect(reading.unread).toEqual([])
          const items = take(text, empty(policy))
          expect(items.map(({ act, device }) => [act, device])).toEqual(
            policy.devices.map(({ id: _id, ...device }) => ['add', device]),
          )
          const into = (wanted: readonly string[] | null) =>
            wanted!.map(
              (text) =>
                (policy.groups.find(({ id }) => id === text) ??
                  policy.groups.find(({ name }) => name === text))!.id,
            )
          expect(items.map(({ groups }) => into(groups))).toEqual(
            policy.devices.map(({ id }) =>
              policy.groups.filter(({ members }) => members.includes(id)).map((group) => group.id),
            ),
          )
          expect(take(text, policy).map(({ act, fields }) => [act, fields])).toEqual(
            policy.devices.map(() => ['known', []]),
          )
          // A spreadsheet may write other line ends; those within quotes are then its own doing.
          if (!/[\r\n]/.test(text.replaceAll('\r\n', '')))
            expect(take(text.replaceAll('\r\n', newline), empty(policy)).length).toBe(policy.devices.length)
        },
      ),
      { numRuns: 300 },
    )
  })

  test('holds nothing that a spreadsheet takes for a formula', () => {
    fc.assert(
      fc.property(places, (policy) => {
        for (const cell of Papa.parse<string[]>(writeDevices(policy), {
          delimiter: ',',
          newline: '\r\n',
        }).data.flat())
          expect(cell).not.toMatch(/^[=+\-@\t\r\n]/)
      }),
      { numRuns: 300 },
    )
  })

  test('no damage to one makes the reading fail or lose count of its lines', () => {
    const damaged = fc
      .tuple(
        places,
        fc.nat(),
        fc.nat(40),
        fc.oneof(fc.string(), fc.constantFrom('"', ',', '\r', '\n', '\\', ';')),
      )
      .map(([policy, at, length, piece]) => {
        const text = writeDevices(policy)
        return (
          text.slice(0, 47 + (at % (text.length - 46))) +
          piece +
          text.slice(47 + (at % (text.length - 46)) + length)
        )
      })
    fc.assert(
      fc.property(damaged, (text) => {
        const reading = readAddresses(text)
        const lines = text.split(/\r\n|\n|\r/).length
        for (const { line, message } of reading.unread)
          expect([line >= 1 && line <= lines, message.length > 0]).toEqual([true, true])
        if (reading.kind === 'devices')
          for (const { line, device } of reading.rows)
            expect([line >= 2 && line <= lines, device.name.trim() !== '']).toEqual([true, true])
      }),
      { numRuns: 1000 },
    )
  })

  const draft = policyOf({
    kairostat: 1,
    place: { name: 'B', timeZone: 'UTC' },
    groups: [{ id: 'front', name: 'Front', members: ['till'] }],
    devices: [
      { id: 'till', name: 'Till', note: 'By the door', adapters: [{ mac: mac(1), medium: 'wifi' }] },
      { id: 'kiosk', name: 'Kiosk', adapters: [{ mac: mac(2), medium: 'wifi' }] },
      { id: 'lamp', name: 'Lamp', adapters: [{ mac: mac(3), medium: 'wifi' }] },
    ],
  })
  test.each<[string, string[], unknown[]]>([
    ['a new name', ['id,name,adapters', `till,Counter,${mac(1)} wifi`], [['update', 'till', ['name'], null]]],
    [
      'an id alone, without the address or the name, is another device',
      ['id,name,adapters', `till,Counter,${mac(9)}`],
      [['add', null, [], null]],
    ],
    [
      'columns in another order and with semicolons; those that are missing leave things as they are',
      [
        'Adapters;Name;Groups',
        `${mac(1)} wifi, x;Till;Front`,
        `025e.1000.0001 wifi;Till;Front`,
        `${mac(2)} ethernet;Kiosk;Front`,
      ],
      [
        ['known', 'till', [], null],
        ['update', 'kiosk', ['adapters', 'groups'], ['Front']],
      ],
    ],
    [
      'addresses that change hands',
      ['name,adapters', `Till,${mac(2)} wifi`, `Kiosk,${mac(1)} wifi`],
      [
        ['update', 'kiosk', ['name'], null],
        ['update', 'till', ['name'], null],
      ],
    ],
    [
      'an address of a device that the list leaves alone',
      ['id,name,adapters', `till,Till,${mac(1)} wifi; ${mac(3)} wifi`],
      [['clash', 'till', ['adapters'], null]],
    ],
    [
      'an address that stands twice',
      ['name,adapters', `A,${mac(8)}`, `B,${mac(8)}`],
      [
        ['add', null, [], null],
        ['clash', null, [], null],
      ],
    ],
  ])('%s', (_, lines, expected) => {
    expect(
      take(lines.join('\n'), draft).map(({ act, id, fields, groups }) => [act, id, fields, groups]),
    ).toEqual(expected)
  })

  test('rows that cannot be read are told with line and reason, and the others count', () => {
    const reading = readAddresses(
      [
        'name,adapters,shielded,colour',
        `"Till\nby the door",${mac(1)},no,red`,
        `Kiosk,nonsense,no,red`,
        `Lamp,${mac(3)}`,
        `,${mac(4)},no,red`,
        `Bell,${mac(5)} radio,perhaps,red`,
        '',
        `Bell,${mac(5)},yes,red`,
      ].join('\n'),
    )
    expect(reading.unread.map(({ line, message }) => [line, message])).toEqual([
      [1, expect.stringContaining('“colour” is not one of the columns')],
      [4, expect.stringMatching(/^The adapters .*nonsense.* is not a MAC address/)],
      [5, 'This row has 2 values, the heading 4.'],
      [6, expect.stringMatching(/^The name .*is empty/)],
      [7, expect.stringContaining('“perhaps” in the column shielded')],
    ])
    expect(
      reading.kind === 'devices' &&
        reading.rows.map(({ line, device }) => [line, device.name, device.shielded]),
    ).toEqual([
      [2, 'Till\nby the door', false],
      [9, 'Bell', true],
    ])
  })
})
