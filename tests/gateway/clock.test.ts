import { afterAll, beforeAll, expect, test } from 'vitest'
import { compile } from '../../core/decision/compile.ts'
import { planOf, senderKey } from '../../core/plan/plan.ts'
import { readPolicy } from '../../core/policy/read.ts'
import type { Policy } from '../../core/policy/types.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { tableText } from '../../gateway/planes/linux/table/table.ts'
import { longestGap, MACS, policyOf, REACHED, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork()
})
afterAll(() => network.stop())

const hours = (...weeks: string[]) => ({
  schedules: weeks.map((week, index) => ({ id: `s${index}`, name: `S${index}`, week })),
  rules: weeks.map((_, index) => ({
    id: `r${index}`,
    name: `R${index}`,
    effect: 'block',
    who: { devices: [index === 0 ? 'a' : 'b'] },
    what: { internet: true },
    when: { schedules: [`s${index}`] },
  })),
})

test.each([
  // The hour from one to two never comes; that from two on begins a second after.
  ['are set forward', '2027-03-28T01:00:00Z', 'Su 02:00-02:30', 'Su 01:00-02:00'],
  // The hour from one to two comes a second time.
  ['are set back', '2027-10-31T01:00:00Z', 'Su 01:00-01:30', 'Su 02:00-03:00'],
])(
  'where the clocks of the place %s, a window begins by the wall, and one that is not there yet does not',
  async (_, change, begins, waits) => {
    const turn = Date.now() + 7000
    network.setClock(readInstant(change)! * 1000 - 7000)
    await expect
      .poll(async () => (await network.gateway.status()).clock.slice(0, 10), { timeout: 5000 })
      .toBe(change.slice(0, 10))
    await network.enforce(policyOf(hours(begins, waits)))
    const [a, b] = await Promise.all(
      (['cliA', 'cliB'] as const).map((from) => network.probe(from, 'udp', 4, turn + 4000)),
    )
    // The clock's file counts whole seconds, so that the boundary is within one of them.
    expect([Math.max(...a!) > turn - 1500, Math.max(...a!) < turn + 1500]).toEqual([true, true])
    expect(longestGap(b!, turn - 1500, turn + 4000)).toBeLessThan(1000)
  },
)

test('a clock that is set is an alarm, and the plan is made anew for the new time', async () => {
  // Far beyond the plan, where a device would be cut off by the fail mode.
  await network.enforce(
    policyOf({
      overrides: [
        {
          id: 'off',
          effect: 'block',
          who: { devices: ['a'] },
          from: instantText(readInstant('2027-12-01T00:00:00Z')!),
          until: '2027-12-02T00:00:00Z',
        },
      ],
    }),
  )
  network.setClock(readInstant('2027-12-01T12:00:00Z')! * 1000)
  // An alarm of an earlier change is over by the new time; that of this one is raised when the plan is made
  // anew.
  await expect
    .poll(
      async () => {
        const { clock, alarms } = await network.gateway.status()
        return [clock.slice(0, 10), ...new Set(alarms.map(({ kind }) => kind))]
      },
      { timeout: 8000 },
    )
    .toEqual(['2027-12-01', 'clock-set'])
  expect([await network.reach('cliA'), (await network.reach('cliB')).length > 0]).toEqual(['', true])
  network.setClock(readInstant('2027-12-02T12:00:00Z')! * 1000)
  await expect.poll(() => network.reach('cliA'), { timeout: 10_000 }).not.toBe('')
})

test.each(['closed', 'open'] as const)(
  'where the kernel’s clock is outside the plan and no program runs, those that rules speak of are %s, and others open',
  async (outside) => {
    await network.kill('SIGKILL')
    const now = Math.floor(Date.now() / 1000)
    const read = readPolicy(policyOf(hours('Mo-Su 00:00-00:01')))
    const plan = planOf(compile((read as { policy: Policy }).policy), now - 30 * 86_400, now - 16 * 86_400)
    await network.load(
      tableText(plan, {
        lans: ['br0'],
        lead: null,
        driver: '',
        areStrangersSpent: false,
        numbers: new Map([
          [MACS.A, 1],
          [MACS.B, 2],
        ]),
        outside,
        ports: new Map(plan.senders.map((sender, index) => [senderKey(sender), 3353 + index])),
        hosts: [],
        page: null,
        closedAddresses: false,
        now: now - 20 * 86_400,
        ahead: 0,
      }),
    )
    expect([await network.reach('cliA'), await network.reach('cliB')]).toEqual([
      outside === 'closed' ? '' : REACHED,
      REACHED,
    ])
    await network.start()
  },
)
