import type { Medium } from '../../../core/policy/types.ts'

/**
 * One adapter on the made-up network. `activity` is the chance in a hundred that it sends in a second;
 * `habits` are destinations.
 */
export interface SimulatedDevice {
  readonly mac: string
  readonly hostName: string | null
  readonly addresses: readonly string[]
  /** The gateway's interface behind which it is. */
  readonly interface: string
  readonly medium: Medium
  readonly connected: boolean
  /**
   * The times of its presence, in seconds from the start of the plane: it is there in every span `[from,
   * until)`, and always where this is missing.
   */
  readonly stays?: readonly { readonly from: number; readonly until: number }[]
  readonly knownForDays: number
  readonly awayForDays: number
  readonly activity: number
  readonly habits: readonly string[]
}

/** The addresses of the gateway on its interfaces. */
export const INTERFACES: Readonly<Record<string, readonly string[]>> = {
  'br-lan': ['192.0.2.1/25', '2001:db8::1/64'],
  'br-guest': ['192.0.2.129/25'],
}

/** Apps that a device can be made to use, which none uses by itself: the places that each asks for. */
export const APPS: Readonly<Record<string, readonly string[]>> = {
  Quillpost: [
    'https://quillpost.example',
    'https://media.quillpost.example',
    'https://qp-letters.example',
    'https://quillpost-stamps.example',
  ],
  Marblerun: [
    'https://marblerun.example',
    'https://scores.marblerun.example',
    'udp://marblerun-arena.example:4001',
  ],
}

const OFFICE = [
  'https://mail.saltmarsh.example',
  'https://suppliers.example',
  'https://streamside-leather.example',
  'https://ledger.example',
  'https://paperwiki.example',
]
const LEISURE = [
  'https://reelbrook.example',
  'https://rb-media.example',
  'https://reelbrook-previews.example',
  'https://clipriver.example',
  'https://img.clipriver.example',
  'https://chatterling.example',
  'https://paperwiki.example',
  'udp://rb-media.example:3479',
]
const GAMES = [
  'https://anvilquest.example',
  'https://veiled-names.example',
  'tcp://play.anvilquest.example:5222',
  'https://tilefall.example',
  'https://chatterling.example',
]
const MACHINE = ['https://updates.guillotine-works.example', 'tcp://203.0.113.40:8883']
const HOME = ['https://weather.example', 'https://time.example', 'https://tunecask.example']

/**
 * The network of the demo: a bookbinding workshop with a flat above it. Addresses are locally administered,
 * all names are made up.
 */
export const WORKSHOP: readonly SimulatedDevice[] = [
  on(0x01, 'front-tablet', 'wifi', 900, 30, OFFICE),
  on(0x02, 'press-laptop', 'wifi', 700, 45, [...OFFICE, ...LEISURE]),
  off(0x03, 'press-laptop', 'ethernet', 700, 2, OFFICE),
  on(0x04, 'ines-phone', 'wifi', 400, 60, [...LEISURE, ...GAMES]),
  on(0x05, 'card-terminal', 'ethernet', 1100, 25, ['tcp://198.51.100.20:9443', 'https://payments.example']),
  on(0x06, 'guillotine', 'ethernet', 1300, 20, MACHINE),
  on(0x07, 'bench-tablet', 'wifi', 300, 40, [...OFFICE, ...LEISURE]),
  on(0x08, 'frame-reader', 'wifi', 200, 15, ['https://patterns.example', 'ftp://files.patterns.example']),
  on(0x09, 'catalogue-kiosk', 'wifi', 640, 25, [
    'https://saltmarsh.example',
    'https://suppliers.example',
    'https://clipriver.example',
  ]),
  on(0x0a, 'glue-pot', 'wifi', 820, 12, MACHINE),
  on(0x0b, 'nipping-press', 'ethernet', 1200, 10, MACHINE),
  // Whoever tries the simulation on the machine that runs it sits at this desk.
  {
    ...on(0x0c, 'office-desktop', 'ethernet', 1500, 40, OFFICE),
    addresses: ['192.0.2.22', '2001:db8::16', '127.0.0.1'],
  },
  on(0x0d, 'ledger-laptop', 'wifi', 500, 35, OFFICE),
  off(0x0e, 'ledger-laptop', 'ethernet', 500, 1, OFFICE),
  on(0x0f, 'label-printer', 'ethernet', 1400, 5, ['https://updates.printworks.example']),
  on(0x10, 'shelf-store', 'ethernet', 1000, 15, ['https://vault.example', 'ftp://files.example']),
  on(0x11, 'door-camera', 'wifi', 350, 20, ['https://vault.example', 'udp://relay.example:3478']),
  on(0x12, 'tomas', 'wifi', 280, 50, [...LEISURE, ...OFFICE]),
  on(0x13, 'tomas', 'wifi', 260, 35, [...LEISURE, ...GAMES]),
  on(0x14, 'marta-phone', 'wifi', 610, 45, [...OFFICE, ...LEISURE]),
  on(0x15, 'hall-radio', 'wifi', 900, 20, [
    'https://tunecask.example',
    'https://livestreams.example',
    'https://weather.example',
  ]),
  on(0x16, 'big-screen', 'ethernet', 730, 55, [
    'https://reelbrook.example',
    'https://rb-media.example',
    'https://clipriver.example',
  ]),
  on(0x17, 'tide-clock', 'wifi', 450, 8, HOME),
  on(0x18, 'kitchen-speaker', 'wifi', 380, 15, HOME),
  on(0x19, 'attic-console', 'ethernet', 190, 50, GAMES),
  off(0x1a, 'lena-reader', 'wifi', 150, 40, ['https://shelfmark.example']),
  on(0x1b, 'lena-tablet', 'wifi', 140, 40, [...GAMES, ...LEISURE]),
  on(0x1c, 'lena-phone', 'wifi', 90, 50, [...LEISURE, ...GAMES]),
  off(0x1d, 'old-laptop', 'ethernet', 1600, 210, OFFICE),
  on(0x1e, 'heat-meter', 'ethernet', 1250, 6, ['https://meters.example']),
  on(0x30, 'lena-laptop', 'wifi', 3, 45, [...GAMES, ...LEISURE, 'https://homework.example']),
  // Somebody on the guest Wi-Fi.
  { ...on(0x31, null, 'wifi', 1, 20, LEISURE), interface: 'br-guest', addresses: ['192.0.2.149'] },
  on(0x32, 'ledger-laptop', 'ethernet', 2, 15, OFFICE),
  // A courier's phone, which is in the yard every few minutes.
  {
    ...on(0x33, 'parcel-phone', 'wifi', 0, 40, LEISURE),
    interface: 'br-guest',
    addresses: ['192.0.2.151'],
    stays: Array.from({ length: 500 }, (_, index) => ({
      from: 40 + index * 600,
      until: 40 + index * 600 + 240,
    })),
  },
]

function on(
  last: number,
  hostName: string | null,
  medium: Medium,
  knownForDays: number,
  activity: number,
  habits: readonly string[],
): SimulatedDevice {
  return {
    mac: macOf(last),
    hostName,
    addresses: [`192.0.2.${last + 10}`, `2001:db8::${(last + 10).toString(16)}`],
    interface: 'br-lan',
    medium,
    connected: true,
    knownForDays,
    awayForDays: 0,
    activity,
    habits,
  }
}

function off(
  last: number,
  hostName: string,
  medium: Medium,
  knownForDays: number,
  awayForDays: number,
  habits: readonly string[],
): SimulatedDevice {
  return { ...on(last, hostName, medium, knownForDays, 0, habits), connected: false, awayForDays }
}

function macOf(last: number): string {
  return `02:5e:10:00:00:${last.toString(16).padStart(2, '0')}`
}
