import { getmac, ifconfig, ipconfig, ipLink, networksetup } from './one-device.ts'
import {
  arpTable,
  arpUnix,
  arpWindows,
  dnsmasqLeases,
  ipNeigh,
  iscLeases,
  plainList,
  procArp,
} from './whole-network.ts'
import { isDeviceList, readDevices } from './device-csv.ts'
import { collector, numbered, type Format, type Reading } from './reading.ts'
import { ipJson, keaLeases } from './structured.ts'

// The first that matches reads; the plain list, which matches everything, stands last.
const FORMATS: readonly Format[] = [
  ipJson('network'),
  ipJson('machine'),
  networksetup,
  getmac,
  arpWindows,
  arpUnix,
  arpTable,
  procArp,
  keaLeases,
  iscLeases,
  dnsmasqLeases,
  ipLink,
  ifconfig,
  ipconfig,
  ipNeigh,
  plainList,
]

/**
 * The longest line that can hold anything, in characters: what is longer is cut there, since every line is
 * searched.
 */
const LINE = 2000

function* shortLines(lines: Iterable<[number, string]>): Generator<[number, string]> {
  for (const [line, text] of lines) yield [line, text.length > LINE ? text.slice(0, LINE) : text]
}

/** The characters of a text that are read to tell its kind. */
const HEAD = 20_000

/**
 * Reads the addresses out of a text without being told what it is: the output of a machine's own network
 * command, a neighbour table, a lease
 * file, a list, or the list of devices that was written here. Never throws; a line that cannot be read is
 * told with its number, and the others still count. `progress` is called
 * now and then with the share that is done, 0 to 1.
 */
export function readAddresses(text: string, progress: (done: number) => void = () => {}): Reading {
  const plain = text.replace(/^\uFEFF/, '')
  const head = plain.slice(0, HEAD)
  // The file of a DHCP server has such headings too, and more is known of it.
  if (isDeviceList(head) && !keaLeases.matches(head))
    return { format: 'a list of devices', kind: 'devices', ...readDevices(plain, progress) }
  const format = FORMATS.find((one) => one.matches(head))!
  const sink = collector()
  const lines = numbered(plain, progress)
  format.read(format.hasLongLines ? lines : shortLines(lines), sink)
  return { format: format.name, kind: format.kind, ...sink.result() }
}
