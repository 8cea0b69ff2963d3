import { MACS, startNetwork, type Network } from '../gateway/network.ts'

/** What was measured on a router in namespaces: times in milliseconds, throughput with the policy as a share of that with an empty table. */
export interface GatewayFigures { readonly firstDrop: number, readonly load: number, readonly small: number, readonly stream: number }

const FAR = '203.0.113.10'
/** How often an empty table and the policy are measured, in turns, and for how many seconds. */
const TURNS = 3
const SECONDS = 3

const middle = (numbers: readonly number[]) => numbers.toSorted((a, b) => a - b)[Math.floor(numbers.length / 2)]!

/** Loads policies into the kernel of a small network and sends through it. */
export async function gatewayFigures(): Promise<GatewayFigures> {
  const network = await startNetwork()
  try {
    const drops: number[] = []
    for (let turn = 0; turn < 3; turn++) drops.push(await firstDrop(network))
    const loads: number[] = []
    for (let turn = 0; turn < 3; turn++) {
      const policy = grouped(1000, 50, turn)
      const begun = performance.now()
      await network.enforce(policy)
      loads.push(performance.now() - begun)
    }
    const server = network.run('isp', 'iperf3', '-s')
    server.catch(() => {})
    const shares = { small: [] as number[], stream: [] as number[] }
    for (let turn = 0; turn < TURNS; turn++) {
      await network.kill('SIGTERM')
      await network.run('rtr', 'nft', 'delete', 'table', 'inet', 'kairostat')
      const empty = await throughput(network)
      await network.start()
      const held = await throughput(network)
      shares.small.push(held.small / empty.small)
      shares.stream.push(held.stream / empty.stream)
    }
    return { firstDrop: middle(drops), load: middle(loads), small: middle(shares.small), stream: middle(shares.stream) }
  } finally {
    await network.stop()
  }
}

/** From asking for it until the last packet of a device has passed, beside 250 others. */
async function firstDrop(network: Network): Promise<number> {
  const policy = grouped(250, 20, 9)
  await network.enforce(policy)
  const answered = network.probe('cliA', 'udp', 4, Date.now() + 3000)
  await new Promise(resolve => setTimeout(resolve, 1500))
  const begun = Date.now()
  await network.enforce({ ...policy, rules: [{ id: 'now', name: 'Now', effect: 'block', who: { devices: ['a'] }, what: { internet: true }, when: { always: true } }, ...policy.rules] })
  return Math.max(...await answered) - begun
}

/** Small packets that arrive a second, and bits a second of one TCP stream, from a device of the policy that is open. */
async function throughput(network: Network): Promise<{ small: number, stream: number }> {
  const report = async (...args: string[]) => JSON.parse(await network.run('cliB', 'iperf3', '-J', '-c', FAR, '-t', String(SECONDS), ...args)) as { end: { sum: { packets: number, lost_packets: number }, sum_received: { bits_per_second: number } } }
  const udp = await report('-u', '-l', '64', '-b', '0')
  const tcp = await report()
  return { small: udp.end.sum.packets - udp.end.sum.lost_packets, stream: tcp.end.sum_received.bits_per_second }
}

/** Devices in groups, each group with hours of its own, and the two machines of the network, A and B. */
function grouped(devices: number, groups: number, seed: number) {
  const clock = (minutes: number) => `${String(Math.floor(minutes / 60) % 24).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`
  const all = Array.from({ length: groups }, (_, index) => index)
  return {
    kairostat: 1, place: { name: 'Large', timeZone: 'Europe/Lisbon' },
    devices: [
      ...Array.from({ length: devices }, (_, index) => ({ id: `d${index}`, name: `Device ${index}`, adapters: [{ mac: `02:5e:${[index >> 24, index >> 16, index >> 8, index].map(byte => (byte & 255).toString(16).padStart(2, '0')).join(':')}`, medium: 'wifi' }] })),
      { id: 'a', name: 'A', adapters: [{ mac: MACS.A, medium: 'wifi' }] }, { id: 'b', name: 'B', adapters: [{ mac: MACS.B, medium: 'wifi' }] },
    ],
    groups: all.map(group => ({ id: `g${group}`, name: `Group ${group}`, members: Array.from({ length: devices }, (_, index) => index).filter(index => index % groups === group).map(index => `d${index}`) })),
    schedules: all.map(group => ({ id: `s${group}`, name: `Hours ${group}`, week: `Mo-Fr ${clock(60 + group * 3 + seed)}-${clock(300 + group * 3)},${clock(800 + group)}-${clock(900 + group * 2)}; Sa,Su ${clock(500 + group)}-${clock(620 + group)}` })),
    rules: all.map(group => ({ id: `r${group}`, name: `Rule ${group}`, effect: 'block', who: { groups: [`g${group}`] }, what: { internet: true }, when: { schedules: [`s${group}`] } })) as object[],
  }
}
