import { afterAll, beforeAll, expect, test } from 'vitest'
import { instantText } from '../../core/time/instant.ts'
import { FAR, longestGap, policyOf, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork()
})
afterAll(() => network.stop())

/**
 * The distance of a boundary from its second, and the time for which a busy machine may keep a packet between
 * its stamp and the wire, in milliseconds.
 */
const NEAR = 50
const BUSY = 300

test('a window begins and ends on its second for everything that a device sends, and for nobody else', async () => {
  const from = Math.ceil(Date.now() / 1000) + 5
  const until = from + 3
  await network.enforce(
    policyOf({
      overrides: [
        {
          id: 'stop',
          effect: 'block',
          who: { devices: ['a'] },
          from: instantText(from),
          until: instantText(until),
        },
      ],
    }),
  )
  const end = (until + 2) * 1000
  const kinds = (['udp', 'tcp', 'push'] as const).flatMap((mode) =>
    ([4, 6] as const).map((version) => ({ mode, version })),
  )
  const [pings, other, local, ...answered] = await Promise.all([
    Promise.all(([4, 6] as const).map((version) => pingTimes('cliA', FAR[version], end))),
    network.probe('cliB', 'udp', 4, end),
    pingTimes('cliA', '192.168.77.1', end),
    ...kinds.map(({ mode, version }) => network.probe('cliA', mode, version, end)),
  ])
  const all = [
    ...kinds.map(({ mode, version }, index) => ({
      name: `${mode} over IPv${version}`,
      times: answered[index]!,
    })),
    ...pings.map((times, index) => ({ name: `ICMP over IPv${[4, 6][index]}`, times })),
  ]
  const between = (times: readonly number[], first: number, last: number) =>
    times.filter((time) => first < time && time < last)
  const [begin, finish] = [from * 1000, until * 1000]
  // Packets with an answer were not sent inside the window, and none is missing where it is open.
  for (const { name, times } of all) {
    const near = name.startsWith('ICMP') ? BUSY : NEAR
    expect([name, between(times, begin + near, finish - BUSY).map((time) => time - begin)]).toEqual([
      name,
      [],
    ])
    expect([
      name,
      between(times, begin - BUSY, begin).length > 0,
      between(times, finish, finish + BUSY).length > 0,
    ]).toEqual([name, true, true])
  }
  // To the second: somebody gets through until just before it, somebody from just after it on, and nobody
  // before the end; one packet of one kind may have been kept.
  const every = all.flatMap(({ times }) => times)
  expect(begin - Math.max(...every.filter((time) => time < begin))).toBeLessThan(NEAR)
  expect(Math.min(...every.filter((time) => time >= finish)) - finish).toBeLessThan(NEAR)
  expect(
    all.filter(({ times }) => between(times, finish - BUSY, finish - NEAR).length > 0).length,
  ).toBeLessThanOrEqual(1)
  for (const times of [other, local]) expect(longestGap(times, from * 1000, until * 1000)).toBeLessThan(1000)
})

/** The arrivals of answers to pings, ten milliseconds apart (ms). */
async function pingTimes(from: 'cliA' | 'cliB', to: string, end: number): Promise<number[]> {
  // A deadline would end it at the first refusal, so it is ended from outside.
  const printed = await network.run(
    from,
    'bash',
    '-c',
    `timeout -s INT ${(end - Date.now()) / 1000} ping -D -i 0.01 ${to}; true`,
  )
  return [...printed.matchAll(/^\[(\d+\.\d+)\] \d+ bytes from/gm)].map(
    ([, seconds]) => Number(seconds) * 1000,
  )
}
