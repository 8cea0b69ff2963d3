import fc from 'fast-check'
import { expect, test } from 'vitest'
import { STATES } from '../../core/decision/standing.ts'
import { jointState, jointStretches, suggestedPeople } from './people.ts'

/** The stretches of one device over `[0, 40)`: a state for each cut. */
const stretches = fc
  .tuple(
    fc.uniqueArray(fc.integer({ min: 1, max: 39 }), { maxLength: 6 }),
    fc.infiniteStream(fc.constantFrom(...STATES)),
  )
  .map(([cuts, states]) => {
    const edges = [0, ...cuts.toSorted((a, b) => a - b), 40]
    return edges.slice(1).map((until, index) => ({ from: edges[index]!, until, state: states.next().value! }))
  })

test('at every instant a person is as all devices are, or partly blocked where these differ', () => {
  fc.assert(
    fc.property(fc.array(stretches, { minLength: 1, maxLength: 4 }), (devices) => {
      const joint = jointStretches(devices)
      for (let at = 0; at < 40; at++) {
        const within = (one: (typeof devices)[number]) =>
          one.find(({ from, until }) => from <= at && at < until)!
        expect(within(joint as never).state).toBe(jointState(devices.map((one) => within(one).state)))
      }
      // Neighbours differ: what goes on alike is one stretch.
      joint.slice(1).forEach(({ from, state }, index) => {
        expect([joint[index]!.until, joint[index]!.state !== state]).toEqual([from, true])
      })
    }),
  )
})

test('people are suggested by the names of devices that are nobody’s', () => {
  const device = (id: string, name: string) => ({
    id,
    name,
    kind: 'other' as const,
    adapters: [],
    shielded: false,
    note: '',
  })
  const devices = [
    device('a', 'Lena’s tablet'),
    device('b', "Lena's phone"),
    device('c', 'Till'),
    device('d', 'Tomas’s phone'),
    device('e', 'Ana Rita’s reader'),
  ]
  const groups = [{ id: 't', name: 'Tomas', members: ['d'], person: true, note: '' }]
  expect(suggestedPeople({ devices, groups })).toEqual([
    { name: 'Lena', devices: ['a', 'b'] },
    { name: 'Ana Rita', devices: ['e'] },
  ])
})
