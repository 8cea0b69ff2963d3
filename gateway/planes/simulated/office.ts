import prand from 'pure-rand'
import type { DeviceKind, Medium } from '../../../core/policy/types.ts'
import type { SimulatedDevice } from './workshop.ts'

/** One thing of the made-up office: what a person calls it, where it stands, and its network cards. */
export interface OfficeMachine {
  readonly name: string
  readonly kind: DeviceKind
  readonly department: string
  readonly cards: readonly SimulatedDevice[]
}

export const DEPARTMENTS = [
  'Engraving',
  'Proofing',
  'Colour room',
  'Survey',
  'Archive',
  'Dispatch',
  'Accounts',
  'Reception',
  'Canteen',
  'Plates',
  'Paper store',
  'Training',
  'Sales',
  'Library',
  'Garage',
  'Drawing',
  'Relief',
  'Globes',
  'Editing',
  'Repairs',
] as const

const THINGS: readonly [DeviceKind, string, ...Medium[]][] = [
  ['laptop', 'laptop', 'wifi', 'ethernet'],
  ['phone', 'phone', 'wifi'],
  ['desktop', 'desktop', 'ethernet'],
  ['tablet', 'tablet', 'wifi'],
  ['screen', 'screen', 'ethernet'],
  ['printer', 'printer', 'ethernet'],
  ['reader', 'reader', 'wifi'],
  ['machine', 'plotter', 'ethernet'],
  ['camera', 'camera', 'wifi'],
  ['other', 'desk phone', 'ethernet'],
]
const PLACES = [
  'https://mail.mapworks.example',
  'https://atlas.example',
  'https://suppliers.example',
  'https://paperwiki.example',
  'https://reelbrook.example',
  'https://chatterling.example',
  'https://tilefall.example',
  'ftp://files.example',
]

/** A map printing house of 500 devices, the same at every call: for lists that are long. */
export function officeMachines(): OfficeMachine[] {
  const below = generator(4)
  let last = 0
  return Array.from({ length: 500 }, (_, index) => {
    const department = DEPARTMENTS[index % DEPARTMENTS.length]!
    const [kind, thing, ...mediums] = THINGS[below(THINGS.length)]!
    const name = `${department} ${thing} ${Math.floor(index / DEPARTMENTS.length) + 1}`
    return {
      name,
      kind,
      department,
      cards: mediums.map((medium, card) =>
        machine(++last, name.toLowerCase().replaceAll(' ', '-'), medium, card === 0 && below(5) > 0, below),
      ),
    }
  })
}

/** The network of that office: every card of its machines, and a dozen that belong to nobody. */
export function officeNetwork(): SimulatedDevice[] {
  const below = generator(5)
  const strangers = Array.from({ length: 12 }, (_, index) =>
    machine(60_000 + index, below(2) === 0 ? null : `visitor-${index + 1}`, 'wifi', true, below),
  )
  return [...officeMachines().flatMap(({ cards }) => cards), ...strangers]
}

function machine(
  number: number,
  hostName: string | null,
  medium: Medium,
  connected: boolean,
  below: (bound: number) => number,
): SimulatedDevice {
  const octets = [number >> 8, number & 255]
  return {
    mac: `02:5e:20:00:${octets.map((octet) => octet.toString(16).padStart(2, '0')).join(':')}`,
    hostName,
    interface: 'br-lan',
    medium,
    connected,
    addresses: [`10.20.${octets.join('.')}`, `2001:db8:20::${number.toString(16)}`],
    knownForDays: below(900),
    awayForDays: below(90),
    activity: 4,
    habits: Array.from({ length: 3 }, () => PLACES[below(PLACES.length)]!),
  }
}

function generator(seed: number): (bound: number) => number {
  const random = prand.xoroshiro128plus(seed)
  return (bound) => prand.unsafeUniformIntDistribution(0, bound - 1, random)
}
