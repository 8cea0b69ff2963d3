import { expect, test } from 'vitest'
import { neighbourhood } from '../watch/sightings.ts'

test('the neighbour table tells who comes, goes, and has which addresses', () => {
  const there = neighbourhood(['br0', 'br-guest'])
  const on = (dev: string) => (dst: string, lladdr: string | undefined, state: string) => ({
    dst,
    dev,
    lladdr,
    state: [state],
  })
  const [line, guest] = [on('br0'), on('br-guest')]
  const steps: [lines: object[], changed: boolean, told: string[]][] = [
    [[], false, []],
    [
      [
        line('192.0.2.7', '02:5e:00:00:00:07', 'REACHABLE'),
        line('fe80::7', '02:5e:00:00:00:07', 'STALE'),
        line('192.0.2.9', undefined, 'INCOMPLETE'),
      ],
      true,
      ['02:5e:00:00:00:07 192.0.2.7 there since 0, last 0'],
    ],
    [
      [line('192.0.2.7', '02:5e:00:00:00:07', 'STALE')],
      false,
      ['02:5e:00:00:00:07 192.0.2.7 there since 0, last 0'],
    ],
    [
      [line('2001:db8::7', '02:5e:00:00:00:07', 'DELAY'), line('192.0.2.7', '02:5e:00:00:00:07', 'STALE')],
      true,
      ['02:5e:00:00:00:07 192.0.2.7,2001:db8::7 there since 0, last 2'],
    ],
    [
      [line('fe80::7', '02:5e:00:00:00:07', 'REACHABLE')],
      false,
      ['02:5e:00:00:00:07 192.0.2.7,2001:db8::7 there since 0, last 3'],
    ],
    [
      [line('192.0.2.7', '02:5e:00:00:00:07', 'FAILED')],
      true,
      ['02:5e:00:00:00:07 192.0.2.7,2001:db8::7 gone since 0, last 3'],
    ],
    [
      [
        line('192.0.2.7', '02:5e:00:00:00:07', 'STALE'),
        guest('192.0.2.130', '02:5e:00:00:00:07', 'REACHABLE'),
      ],
      true,
      ['02:5e:00:00:00:07 192.0.2.130 there on br-guest since 0, last 5'],
    ],
    [
      [line('192.0.2.7', '02:5e:00:00:00:07', 'STALE'), guest('192.0.2.130', '02:5e:00:00:00:07', 'STALE')],
      false,
      ['02:5e:00:00:00:07 192.0.2.130 there on br-guest since 0, last 5'],
    ],
    [
      [
        on('wan')('203.0.113.1', '02:5e:00:00:00:99', 'REACHABLE'),
        line('192.0.2.7', '02:5e:00:00:00:07', 'DELAY'),
      ],
      true,
      ['02:5e:00:00:00:07 192.0.2.7 there since 0, last 7'],
    ],
  ]
  steps.forEach(([lines, changed, told], step) => {
    expect(there.read(JSON.stringify(lines), Math.max(0, step - 1))).toBe(changed)
    expect(
      there
        .all()
        .map(
          ({ mac, addresses, connected, firstSeen, lastSeen, interface: name }) =>
            `${mac} ${addresses.join()} ${connected ? 'there' : 'gone'}${name === 'br0' ? '' : ` on ${name}`} since ${Date.parse(firstSeen) / 1000}, last ${Date.parse(lastSeen) / 1000}`,
        ),
    ).toEqual(told)
  })
})
