import { afterAll, beforeAll, expect, test } from 'vitest'
import { instantText } from '../../core/time/instant.ts'
import { FAR, longestGap, policyOf, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork('kw')
})
afterAll(() => network.stop())

/** How far a boundary may be from its second, in milliseconds. */
const NEAR = 50

test('a window begins and ends on its second for everything that a device sends, and for nobody else', async () => {
  const from = Math.ceil(Date.now() / 1000) + 3
  const until = from + 3
  await network.enforce(policyOf({ overrides: [{ id: 'stop', effect: 'block', who: { devices: ['a'] }, from: instantText(from), until: instantText(until) }] }))
  const end = (until + 2) * 1000
  const kinds = (['udp', 'tcp', 'push'] as const).flatMap(mode => ([4, 6] as const).map(version => ({ mode, version })))
  const [pings, other, local, ...answered] = await Promise.all([
    Promise.all(([4, 6] as const).map(version => pingTimes('cliA', FAR[version], end))),
    network.probe('cliB', 'udp', 4, end),
    pingTimes('cliA', '192.168.77.1', end),
    ...kinds.map(({ mode, version }) => network.probe('cliA', mode, version, end)),
  ])
  const all = [...kinds.map(({ mode, version }, index) => ({ name: `${mode} over IPv${version}`, times: answered[index]! })), ...pings.map((times, index) => ({ name: `ICMP over IPv${[4, 6][index]}`, times }))]
  for (const { name, times } of all) {
    const inside = times.filter(time => time > from * 1000 + NEAR && time < until * 1000 - NEAR)
    expect([name, inside.length, inside.slice(0, 3).map(time => time - from * 1000)]).toEqual([name, 0, []])
    const before = Math.max(...times.filter(time => time < from * 1000 + NEAR))
    const after = Math.min(...times.filter(time => time > until * 1000 - NEAR))
    expect(from * 1000 - before, `${name}: the last before the window`).toBeLessThan(NEAR)
    expect(after - until * 1000, `${name}: the first after it`).toBeLessThan(NEAR)
  }
  for (const times of [other, local]) expect(longestGap(times, from * 1000, until * 1000)).toBeLessThan(300)
})

/** When answers to pings, ten milliseconds apart, arrived (ms). */
async function pingTimes(from: 'cliA' | 'cliB', to: string, end: number): Promise<number[]> {
  // A deadline would end it at the first refusal, so it is ended from outside.
  const printed = await network.run(from, 'bash', '-c', `timeout -s INT ${(end - Date.now()) / 1000} ping -D -i 0.01 ${to}; true`)
  return [...printed.matchAll(/^\[(\d+\.\d+)\] \d+ bytes from/gm)].map(([, seconds]) => Number(seconds) * 1000)
}
