import { afterAll, beforeAll, expect, test } from 'vitest'
import { cutA, FAR, longestGap, policyOf, startNetwork, type Network } from '../gateway/network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork({
    lans: ['br0', 'br0.20'],
    gateway: false,
    more: ['--offload', 'unrestricted'],
  })
  await onRouter(vlan('br0', '192.168.79.1'))
  await network.start()
})
afterAll(() => network.stop())

/** Makes an interface for the packets on another that have the tag 20, with an address. */
const vlan = (link: string, address: string) =>
  `ip link add link ${link} name ${link}.20 type vlan id 20 && ip addr add ${address}/24 dev ${link}.20 && ip link set ${link}.20 up`

type Client = 'cliA' | 'cliB'
type Host = Client | 'isp'
const onRouter = (line: string) => network.run('rtr', 'sh', '-c', line)
/** Whether a machine gets an answer from an address. */
const reaches = (from: Client, to: string = FAR[4]) =>
  network.run(from, 'ping', '-c', '4', '-i', '0.3', '-W', '2', to).then(
    () => true,
    () => false,
  )
const bothReach = async () => [await reaches('cliA'), await reaches('cliB')]
const TAKE = `import socket
taken, gone = socket.create_server(('', 7100)).accept()[0], 0
while data := taken.recv(65536): gone += len(data)
print(gone)`
const SEND = `import socket, sys, time
for attempt in range(20):
    try: to = socket.create_connection((sys.argv[1], 7100), 20); break
    except (ConnectionRefusedError, TimeoutError): time.sleep(0.2)
to.settimeout(90)
to.sendall(bytes(int(sys.argv[2])))`
/** Sends bytes from one machine to another over TCP; returns how many arrive. */
async function sent(from: Host, to: Host, address: string, bytes: number): Promise<number> {
  const taken = network.run(to, 'python3', '-c', TAKE)
  // A packet that could not be sent is the fault.
  taken.catch(() => {})
  await network.run(from, 'python3', '-c', SEND, address, String(bytes))
  return Number(await taken)
}

test('a VLAN is a network of its own: a device is judged by the tag with which its packets come', async () => {
  await network.run('cliA', 'sh', '-c', vlan('eth0', '192.168.79.10'))
  await network.run('isp', 'ip', 'route', 'add', '192.168.79.0/24', 'via', '203.0.113.2')
  const press = { id: 'press', name: 'Press room', interfaces: ['br0.20'] }
  const [rule] = cutA.rules
  await network.enforce(policyOf({ networks: [press], rules: [{ ...rule, who: { networks: ['press'] } }] }))
  expect(await bothReach()).toEqual([true, true])
  await network.run('cliA', 'ip', 'route', 'replace', 'default', 'via', '192.168.79.1', 'dev', 'eth0.20')
  expect([await reaches('cliA'), await reaches('cliA', '192.168.79.1')]).toEqual([false, true])
  await network.enforce(policyOf({ networks: [press] }))
  expect(await reaches('cliA')).toBe(true)
  await network.run('cliA', 'ip', 'route', 'replace', 'default', 'via', '192.168.77.1', 'dev', 'eth0')
})

test('where that was agreed, a flow table forwards only who is never restricted, and lets go of who is from now on', async () => {
  const theirs = `table inet theirs {
flowtable fast { hook ingress priority filter; devices = { br0, wan }; }
chain forward { type filter hook forward priority filter; policy drop;
ct state established,related accept comment "first"
meta l4proto { tcp, udp } flow add @fast
iifname "br0" accept
}
chain handing { type filter hook forward priority filter - 1; policy accept;
meta l4proto { tcp, udp } flow add @fast comment "again"
}
}
`
  const listing = () => onRouter('nft list table inet theirs')
  const bound = async () => (await listing()).match(/ct mark .* flow add/g)?.length ?? 0
  const free = async () => (await listing()).replaceAll(/ct mark [^}]*\} /g, '')
  await network.load(theirs)
  const before = await free()
  await network.enforce(policyOf({}))
  expect(await bound()).toBe(2)
  const handedOver = async (address: string) =>
    (await onRouter('cat /proc/net/nf_conntrack'))
      .split('\n')
      .some(
        (line) =>
          line.includes(`src=${address} `) && line.includes('dport=7000') && line.includes('[OFFLOAD]'),
      )
  const both = async () => [await handedOver('192.168.77.10'), await handedOver('192.168.77.11')]
  const enough = `${network.folder}/enough`
  const [a, b] = [network.probe('cliA', 'udp', 4, enough), network.probe('cliB', 'udp', 4, enough)]
  await expect.poll(both, { timeout: 30_000 }).toEqual([true, true])
  await network.enforce(policyOf(cutA))
  const cut = Date.now()
  await expect.poll(both, { timeout: 30_000 }).toEqual([false, true])
  // An emulated computer may take ten seconds for what takes one elsewhere.
  await new Promise((passed) => setTimeout(passed, 12_000))
  const until = Date.now()
  await network.run('cliA', 'touch', enough)
  const answered = await a
  expect(answered.filter((time) => time < cut).length).toBeGreaterThan(10)
  expect(answered.filter((time) => time > cut + 1000)).toEqual([])
  expect(longestGap(await b, cut - 1000, until - 1000)).toBeLessThan(8000)
  expect((await network.gateway.status()).alarms).toEqual([])

  // A firewall that is loaded anew is bound anew, and what it says beside is as it was.
  await network.load(`delete table inet theirs\n${theirs}`)
  await expect.poll(bound, { timeout: 30_000 }).toBe(2)
  expect(await free()).toBe(before)
  await onRouter('nft delete table inet theirs')
})

test('where the bridge of the local network filters, what is local stays as it was and the internet is blocked', async () => {
  await onRouter(
    'modprobe br_netfilter && sysctl -qw net.bridge.bridge-nf-call-iptables=1 net.bridge.bridge-nf-call-ip6tables=1',
  )
  await network.load(
    'table bridge theirs {\nchain forward { type filter hook forward priority filter; policy accept;\nip daddr 192.168.77.20 drop\n}\n}\n',
  )
  await network.enforce(policyOf(cutA))
  expect(await bothReach()).toEqual([false, true])
  expect([await reaches('cliA', FAR[6]), await reaches('cliB', FAR[6])]).toEqual([false, true])
  expect([await reaches('cliA', '192.168.77.11'), await reaches('cliA', '2001:db8:1::b')]).toEqual([
    true,
    true,
  ])
  expect(await sent('cliA', 'cliB', '192.168.77.11', 100_000)).toBe(100_000)
  expect(await reaches('cliB', '192.168.77.20')).toBe(false)
  await network.enforce(policyOf({}))
  expect(await bothReach()).toEqual([true, true])
})

test('over PPPoE, with its smaller packets, a device is blocked and the other sends and receives much', async () => {
  await onRouter('ip addr flush dev wan; ip link set wan up; modprobe pppoe')
  const options = `${network.folder}/ppp-options`
  await network.run('isp', 'sh', '-c', `echo noauth > ${options}`)
  const server = network.run(
    'isp',
    'pppoe-server',
    '-F',
    '-k',
    '-I',
    'eth0',
    '-L',
    '10.64.0.1',
    '-R',
    '10.64.0.2',
    '-N',
    '1',
    '-O',
    options,
  )
  const client = network.run(
    'rtr',
    'pppd',
    'plugin',
    'rp-pppoe.so',
    'wan',
    'noauth',
    'nodetach',
    'noipdefault',
    'mtu',
    '1492',
    'mru',
    '1492',
    'nodefaultroute',
  )
  const ended = Promise.race([server, client]).catch((error: unknown) => String(error))
  ended.catch(() => {})
  await expect.poll(() => onRouter('ip -br addr'), { timeout: 40_000 }).toContain('10.64.0.2')
  await onRouter('ip route replace default dev ppp0')
  await network.load(
    'table ip nat {\nchain out { type nat hook postrouting priority srcnat; policy accept;\noifname "ppp0" masquerade\n}\n}\n',
  )
  await network.enforce(policyOf(cutA))
  expect(await bothReach()).toEqual([false, true])
  expect(await sent('cliB', 'isp', FAR[4], 300_000)).toBe(300_000)
  await network.load(
    'table ip nat {\nchain in { type nat hook prerouting priority dstnat; policy accept;\niifname "ppp0" tcp dport 7100 dnat to 192.168.77.11\n}\n}\n',
  )
  expect(await sent('isp', 'cliB', '10.64.0.2', 300_000)).toBe(300_000)
  await network.enforce(policyOf({}))
  expect(await bothReach()).toEqual([true, true])
})
