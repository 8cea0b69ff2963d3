import { compile } from '../../core/decision/compile.ts'
import { planOf, senderKey } from '../../core/plan/plan.ts'
import { readPolicy } from '../../core/policy/read.ts'
import { tableText } from '../../gateway/planes/linux/table/table.ts'
import { MACS, policyOf, startNetwork, type Network } from '../gateway/network.ts'

/**
 * The figures measured on a router in namespaces: times in milliseconds, throughput with the policy as a share
 * of that of a router which only tracks connections, and of one which does not even that.
 */
export interface GatewayFigures {
  readonly firstDrop: number
  readonly load: number
  readonly rest: number
  readonly many: Many
  readonly small: Share
  readonly stream: Share
}
/**
 * With a million names in the lists: the longest that an answer waits while they are put in force and
 * amended, and how long the table is away when somebody flushes it.
 */
interface Many {
  readonly wait: number
  readonly back: number
}
interface Share {
  readonly tracked: number
  readonly bare: number
}

const FAR = '203.0.113.10'
/** The number of measures of each table, in turns, for a second each. */
const TURNS = 15
/**
 * Nothing at all, and what a router has that keeps its local network behind one address: connections are
 * tracked, and rules for addresses looked at.
 */
const BARE = 'table inet kairostat\ndelete table inet kairostat\n'
const TRACKED = `${BARE}table inet kairostat {
chain lookups { type nat hook prerouting priority dstnat - 5; policy accept; }
chain forward { type filter hook forward priority -5; policy accept; ct state invalid accept; }
}
`

const middle = (numbers: readonly number[]) =>
  numbers.toSorted((a, b) => a - b)[Math.floor(numbers.length / 2)]!

/** Loads policies into the kernel of a small network and sends through it. */
export async function gatewayFigures(): Promise<GatewayFigures> {
  const network = await startNetwork()
  try {
    const drops: number[] = []
    for (let turn = 0; turn < 3; turn++) drops.push(await firstDrop(network))
    const loads: number[] = []
    for (let turn = 0; turn < 3; turn++) {
      const policy = grouped(1000, 50, turn)
      // At rest: after a replacement the kernel tells for a second what went.
      await new Promise((resolve) => setTimeout(resolve, 2000))
      const begun = performance.now()
      await network.enforce(policy)
      loads.push(performance.now() - begun)
    }
    const rest = await atRest(network)
    const many = await withManyNames(network)
    await network.kill('SIGTERM')
    const server = network.run('isp', 'iperf3', '-s', '-i', '0.1')
    server.catch(() => {})
    const [small, stream] = [
      await shares(network, ['-u', '-l', '64', '-b', '0'], (sum) => sum.packets!),
      await shares(network, [], (sum) => sum.bytes),
    ]
    return { firstDrop: middle(drops), load: middle(loads), rest, many, small, stream }
  } finally {
    await network.stop()
  }
}

/** Measures the cost of a router that has only a shell. */
export interface SshFigures {
  /** From asking for it until the last packet of a device has passed, in milliseconds. */
  readonly firstDrop: number
  /** Counts its commands, and the bytes on the wire both ways, while nothing happens. */
  readonly commandsPerMinute: number
  readonly bytesPerMinute: number
}

/** Drives a router over SSH. */
export async function sshFigures(): Promise<SshFigures> {
  const network = await startNetwork({ via: 'openssh' })
  try {
    const drops: number[] = []
    for (let turn = 0; turn < 3; turn++) drops.push(await firstDrop(network))
    // The port of the machine that drives it.
    const bytes = async () => {
      const each = ['rx_bytes', 'tx_bytes'].map((file) =>
        network.run('rtr', 'cat', `/sys/class/net/pC/statistics/${file}`),
      )
      return (await Promise.all(each)).reduce((sum, text) => sum + Number(text), 0)
    }
    await new Promise((resolve) => setTimeout(resolve, 3000))
    const before = [network.ssh!.commands(), await bytes()] as const
    await new Promise((resolve) => setTimeout(resolve, 30_000))
    return {
      firstDrop: middle(drops),
      commandsPerMinute: (network.ssh!.commands() - before[0]) * 2,
      bytesPerMinute: ((await bytes()) - before[1]) * 2,
    }
  } finally {
    await network.stop()
  }
}

/** From asking for it until the last packet of a device has passed, on a router of its own (ms). */
export async function routerDropTime(): Promise<number> {
  const network = await startNetwork()
  try {
    return await firstDrop(network)
  } finally {
    await network.stop()
  }
}

/** From asking for it until the last packet of a device has passed, beside 250 others. */
async function firstDrop(network: Network): Promise<number> {
  const policy = grouped(250, 20, 9)
  await network.enforce(policy)
  const answered = network.probe('cliA', 'udp', 4, Date.now() + 3000)
  await new Promise((resolve) => setTimeout(resolve, 1500))
  const begun = Date.now()
  await network.enforce({
    ...policy,
    rules: [
      {
        id: 'now',
        name: 'Now',
        effect: 'block',
        who: { devices: ['a'] },
        what: { internet: true },
        when: { always: true },
      },
      ...policy.rules,
    ],
  })
  return Math.max(...(await answered)) - begun
}

/** The share of a core that 5,000 devices cost while nothing happens. */
async function atRest(network: Network): Promise<number> {
  await network.enforce(grouped(5000, 50, 3))
  await new Promise((resolve) => setTimeout(resolve, 5000))
  const before = network.cpuSeconds()
  await new Promise((resolve) => setTimeout(resolve, 30_000))
  return (network.cpuSeconds() - before) / 30
}

async function withManyNames(network: Network): Promise<Many> {
  const entries = Array.from({ length: 1_000_000 }, (_, index) => `name${index}.zone${index % 977}.example`)
  const rule = (what: object) => ({
    id: 'r',
    name: 'R',
    effect: 'block',
    who: { devices: ['a'] },
    what,
    when: { always: true },
  })
  await network.enforce(policyOf({ rules: [rule({ sites: ['far.example'] })] }))
  const document = policyOf({
    siteLists: [{ id: 'many', name: 'Many', entries }],
    rules: [rule({ siteLists: ['many'], sites: ['far.example'] })],
  })
  const asking = network.ask('cliA', 'far.example', 20_000)
  await network.enforce(document)
  const wait = Math.max(...(await asking).map(({ took }) => took))
  const backs: number[] = []
  for (let turn = 0; turn < 5; turn++) {
    await network.run('rtr', 'nft', 'flush', 'ruleset')
    const begun = performance.now()
    while (!(await network.run('rtr', 'nft', 'list', 'tables')).includes('kairostat'))
      if (performance.now() - begun > 10_000) throw new Error('The table is not put back.')
    backs.push(performance.now() - begun)
    await new Promise((resolve) => setTimeout(resolve, 1500))
  }
  return { wait, back: middle(backs) }
}

interface Sum {
  readonly seconds: number
  readonly bytes: number
  readonly packets?: number
}

/**
 * The throughput of an unrestricted device of the policy, as a share of what it sends under the other tables.
 * The machine is faster now and slower then, so that each turn is compared with its neighbours in time, and
 * the middle of the turns counts.
 */
async function shares(network: Network, how: readonly string[], of: (sum: Sum) => number): Promise<Share> {
  const tables = { bare: BARE, tracked: TRACKED, policy: textOf(grouped(1000, 50, 1)) }
  const turns: Record<keyof typeof tables, number>[] = []
  const order = ['bare', 'tracked', 'policy'] as const
  for (let turn = 0; turn < TURNS; turn++) {
    const rates = { bare: 0, tracked: 0, policy: 0 }
    for (const table of turn % 2 === 0 ? order : order.toReversed()) {
      await network.load(tables[table])
      const { intervals } = JSON.parse(
        await network.run('cliB', 'iperf3', '-J', '-A', '0,1', '-i', '0.1', '-c', FAR, '-t', '1', ...how),
      ) as { intervals: { sum: Sum }[] }
      rates[table] = middle(intervals.map(({ sum }) => of(sum) / sum.seconds))
    }
    turns.push(rates)
  }
  return {
    tracked: middle(turns.map(({ policy, tracked }) => policy / tracked)),
    bare: middle(turns.map(({ policy, bare }) => policy / bare)),
  }
}

/** The table of a policy, as the gateway writes it. */
function textOf(document: object): string {
  const read = readPolicy(document)
  if ('faults' in read) throw new Error(JSON.stringify(read.faults))
  const now = Math.floor(Date.now() / 1000)
  const plan = planOf(compile(read.policy), now - 3600, now + 14 * 86_400)
  return tableText(plan, {
    lans: ['br0'],
    lead: null,
    driver: '',
    areStrangersSpent: false,
    numbers: new Map(plan.senders.slice(1).map((sender, index) => [senderKey(sender), index + 1])),
    outside: 'closed',
    ports: new Map(plan.senders.map((sender, index) => [senderKey(sender), index + 5000])),
    hosts: [],
    page: null,
    closedAddresses: false,
    now,
    ahead: 0,
  })
}

/**
 * Devices in groups, each group with hours of its own, and the two machines of the network: A of which no
 * rule speaks, and B with hours of its own that are far from now.
 */
function grouped(devices: number, groups: number, seed: number) {
  const clock = (minutes: number) =>
    `${String(Math.floor(minutes / 60) % 24).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`
  const all = Array.from({ length: groups }, (_, index) => index)
  const hour = new Date().getUTCHours()
  const hours = {
    id: 'b',
    name: 'Hours of B',
    week: [6, 10, 14]
      .map((ahead) => (hour + ahead) % 24)
      .sort((a, b) => a - b)
      .map((from) => `${clock(from * 60)}-${clock(from * 60 + 90)}`)
      .join(),
  }
  const rule = (id: string, who: object) => ({
    id: `r${id}`,
    name: `Rule ${id}`,
    effect: 'block',
    who,
    what: { internet: true },
    when: { schedules: [id] },
  })
  return {
    kairostat: 1,
    place: { name: 'Large', timeZone: 'Europe/Lisbon' },
    devices: [
      ...Array.from({ length: devices }, (_, index) => ({
        id: `d${index}`,
        name: `Device ${index}`,
        adapters: [
          {
            mac: `02:5e:${[index >> 24, index >> 16, index >> 8, index].map((byte) => (byte & 255).toString(16).padStart(2, '0')).join(':')}`,
            medium: 'wifi',
          },
        ],
      })),
      { id: 'a', name: 'A', adapters: [{ mac: MACS.A, medium: 'wifi' }] },
      { id: 'b', name: 'B', adapters: [{ mac: MACS.B, medium: 'wifi' }] },
    ],
    groups: all.map((group) => ({
      id: `g${group}`,
      name: `Group ${group}`,
      members: Array.from({ length: devices }, (_, index) => index)
        .filter((index) => index % groups === group)
        .map((index) => `d${index}`),
    })),
    schedules: [
      ...all.map((group) => ({
        id: `s${group}`,
        name: `Hours ${group}`,
        week: `Mo-Fr ${clock(60 + group * 3 + seed)}-${clock(300 + group * 3)},${clock(800 + group)}-${clock(900 + group * 2)}; Sa,Su ${clock(500 + group)}-${clock(620 + group)}`,
      })),
      hours,
    ],
    rules: [
      ...all.map((group) => rule(`s${group}`, { groups: [`g${group}`] })),
      rule('b', { devices: ['b'] }),
    ] as object[],
  }
}
