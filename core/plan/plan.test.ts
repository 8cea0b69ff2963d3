import fc from 'fast-check'
import { expect, test } from 'vitest'
import { instants, policies } from '../../tests/support/arbitraries.ts'
import { destination } from '../../tests/support/oracle.ts'
import { compile, subjectOfMac } from '../decision/compile.ts'
import { verdictAt } from '../decision/moment.ts'
import { blockCovers } from '../destination/address.ts'
import type { Destination } from '../destination/destination.ts'
import type { Policy } from '../policy/types.ts'
import { planOf, type Plan } from './plan.ts'

const DAY = 86_400
const PLACES = [
  'tcp://203.0.113.9:21',
  'udp://203.0.113.9:3478',
  'tcp://198.51.100.7:443',
  'tcp://[2001:db8::7]:80',
  '192.0.2.1',
].map(destination)
const STRANGER = '02:aa:bb:00:00:7f'

/**
 * A packet filter that follows the plan: it walks the clauses of the stretch, and knows addresses
 * and services.
 */
function effectBy(
  { senders, ...plan }: Plan,
  mac: string,
  network: string | null,
  at: number,
  { address, protocol, port }: Destination,
) {
  const name = senders.some((one) => one.mac === mac) ? mac : null
  const { course } =
    senders.find((one) => one.mac === name && one.network === network) ??
    senders.find((one) => one.mac === name && one.network === null)!
  if (course === null) return 'allow'
  const stretch = plan.courses[course]!.find(({ from, until }) => from <= at && at < until)!
  const first = plan.standings[stretch.standing]!.map((place) => plan.clauses[place]!).find(
    ({ what }) =>
      what === null ||
      what.sets.some(({ blocks }) => blocks.some((block) => blockCovers(block, address!))) ||
      what.services.some(
        (service) =>
          service.protocol === protocol &&
          service.ports.some((range) => range.first <= port! && port! <= range.last) &&
          (!service.towards || blockCovers(service.towards, address!)),
      ),
  )
  return first?.effect ?? 'allow'
}

test('who holds to the plan does with every address at any time what the policy says', () => {
  let [blocked, ownNetworks] = [0, 0]
  fc.assert(
    fc.property(
      policies,
      instants,
      fc.array(fc.nat(3 * DAY), { minLength: 1, maxLength: 5 }),
      (policy: Policy, from, offsets) => {
        const compiled = compile(policy)
        const plan = planOf(compiled, from, from + 3 * DAY + 1)
        for (const stretches of plan.courses) {
          expect([stretches[0]!.from, stretches.at(-1)!.until]).toEqual([plan.from, plan.until])
          stretches.slice(1).forEach(({ from }, index) => expect(from).toBe(stretches[index]!.until))
        }
        for (const mac of [
          STRANGER,
          ...policy.devices.flatMap(({ adapters }) => adapters.map((one) => one.mac)),
        ]) {
          for (const network of [null, ...policy.networks.map(({ id }) => id)]) {
            for (const at of offsets.map((offset) => from + offset)) {
              for (const place of PLACES) {
                const { effect } = verdictAt(compiled, subjectOfMac(compiled, mac, network), at, place)
                expect(effectBy(plan, mac, network, at, place)).toBe(effect)
                if (effect === 'block') blocked++
              }
            }
            if (plan.senders.some((one) => one.network === network && network !== null)) ownNetworks++
          }
        }
      },
    ),
    { numRuns: 150 },
  )
  expect(blocked).toBeGreaterThan(500)
  expect(ownNetworks).toBeGreaterThan(50)
})
