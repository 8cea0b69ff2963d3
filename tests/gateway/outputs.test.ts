import { afterAll, beforeAll, expect, test } from 'vitest'
import { readAddresses } from '../../core/import/addresses.ts'
import { FAR, MACS, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork()
})
afterAll(() => network.stop())

// The output of this machine's programs on a real network, not a recorded one.
test.each<[string, string, string[]]>([
  ['ip neigh', 'ip', ['neigh']],
  ['ip -j neigh', 'ip', ['-j', 'neigh']],
  ['/proc/net/arp', 'cat', ['/proc/net/arp']],
  ['arp -n', 'arp', ['-n']],
  ['arp -n', 'arp', ['-e', '-n']],
  ['arp -a', 'arp', ['-a', '-n']],
])('%s of the router tells both devices of its network, by %s %j', async (format, command, args) => {
  await Promise.all(
    (['cliA', 'cliB'] as const).map((host) => network.run(host, 'ping', '-c', '1', '-W', '2', FAR[4])),
  )
  const reading = readAddresses(await network.run('rtr', command, ...args))
  expect([reading.format, reading.unread]).toEqual([format, []])
  const found = reading.kind === 'devices' ? [] : reading.found
  for (const [mac, address] of [
    [MACS.A, '192.168.77.10'],
    [MACS.B, '192.168.77.11'],
  ] as const) {
    const one = found.find((entry) => entry.mac === mac)
    expect([mac, one?.addresses.includes(address) || one?.hostName !== null]).toEqual([mac, true])
  }
})

test.each<[string, string, string[]]>([
  ['ip link', 'ip', ['addr']],
  ['ip link', 'ip', ['link']],
  ['ip -j addr', 'ip', ['-j', 'addr']],
  ['ifconfig', 'ifconfig', ['-a']],
])('%s of a device tells its adapter, by %s %j', async (format, command, args) => {
  const reading = readAddresses(await network.run('cliA', command, ...args))
  expect([reading.format, reading.kind === 'devices' ? [] : reading.found.map(({ mac }) => mac)]).toEqual([
    format,
    [MACS.A],
  ])
})
