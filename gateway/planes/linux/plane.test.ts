import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import { afterEach, expect, test, vi } from 'vitest'
import { readInstant } from '../../../core/time/instant.ts'
import { policyOf } from '../../../tests/support/arbitraries.ts'
import type { DataPlane } from '../plane.ts'
import { markRegistry } from './table/mark-registry.ts'
import { linuxPlane } from './plane.ts'
import { ToolFault, type RouterSystem } from './system.ts'

const [A, B] = ['02:5e:00:00:00:0a', '02:5e:00:00:00:0b']
const policy = policyOf({
  kairostat: 1,
  place: { name: 'Bindery', timeZone: 'Europe/Lisbon' },
  devices: [
    { id: 'a', name: 'A', adapters: [{ mac: A, medium: 'wifi' }] },
    { id: 'b', name: 'B', adapters: [{ mac: B, medium: 'wifi' }], shielded: true },
  ],
  rules: [
    {
      id: 'nights',
      name: 'Nights',
      effect: 'block',
      who: { devices: ['a'] },
      what: { internet: true },
      when: { from: '2026-11-26T21:00', until: '2026-11-27T07:00' },
    },
  ],
})

const LIST = 'nft -j list table inet kairostat'
const LIST_RULES = 'nft -s -t list table inet kairostat'
const NEIGHBOURS = 'ip -j neigh show'

/** A router that notes what it is told, and prints what the test says. */
function fakeRouter() {
  const fed: string[] = []
  const outputs = new Map<string, string | Error>([
    ['ip -j addr', '[]'],
    [NEIGHBOURS, '[]'],
    ['nft -j list flowtables', '{"nftables":[]}'],
    [LIST_RULES, 'the table'],
    [LIST, '{"nftables":[]}'],
  ])
  const files = new Map<string, string>()
  const router = { fed, outputs, files, taken: () => {}, refusal: null as Error | null, aheadMs: 0 }
  const system: RouterSystem = {
    run: async (command, args, input = '') => {
      const output = outputs.get([command, ...args].join(' ')) ?? ''
      if (args.includes('-f')) {
        if (router.refusal) throw router.refusal
        if (!args.includes('-c')) fed.push(input)
      }
      if (output instanceof Error) throw output
      return output
    },
    read: async (file) => files.get(file) ?? null,
    lookEveryMs: 1000,
    controller: async () => null,
    aheadMs: async () => router.aheadMs,
    returned: () => {},
    stop: () => {},
    follow: (_command, _args, printed) => {
      router.taken = printed
      return () => {}
    },
  }
  return { ...router, router, system }
}

let plane: DataPlane | null = null
afterEach(() => {
  plane?.stop()
  plane = null
  vi.useRealTimers()
})

async function planeOn({ system }: ReturnType<typeof fakeRouter>, faults: string[] = []) {
  plane = await linuxPlane({
    system,
    lans: ['br0'],
    outside: 'closed',
    upstreams: [{ host: '127.0.0.1', port: 9 }],
    newcomersPort: 0,
    alone: 'open',
    offload: 'all',
    pagePort: 0,
    leases: [],
    timeZone: 'Europe/Lisbon',
    numbers: markRegistry(null, null),
    clockFile: null,
    clockFloorFile: null,
    fault: (error, doing) => faults.push(`${doing}: ${String(error)}`),
  })
  return plane
}

/** A table's text with names for the ports, which are those that were free. */
function withoutPorts(text: string): string {
  const ports = /set doors \{ type inet_service;\nelements = \{ (\d+),\n(\d+),\n(\d+) \}/.exec(text)!.slice(1)
  return ports.reduce(
    (rest, port, index) => rest.replaceAll(port, ['PORT-UNKNOWN', 'PORT-A', 'PORT-B'][index]!),
    text,
  )
}

test('a policy becomes a table in absolute time: the whole text of it', async () => {
  vi.useFakeTimers({ toFake: ['Date'], now: readInstant('2026-11-26T20:00:00Z')! * 1000 })
  const fake = fakeRouter()
  fake.outputs.set(
    NEIGHBOURS,
    JSON.stringify([{ dst: '192.0.2.7', dev: 'br0', lladdr: A, state: ['REACHABLE'] }]),
  )
  const linux = await planeOn(fake)
  expect(await linux.apply(policy)).toBeNull()
  expect(withoutPorts(fake.fed[0]!)).toMatchInlineSnapshot(`
    "table inet kairostat
    delete table inet kairostat
    table inet kairostat {
    set unknown { type ether_addr; flags dynamic,timeout; timeout 1h; size 4096; counter; }
    set refused { typeof ct mark; flags dynamic; size 65535; counter; }
    set drops { typeof ether saddr . meta mark; flags dynamic,timeout; timeout 1h; size 65535; counter; }
    set stray_drops { typeof ether saddr . meta mark; flags dynamic,timeout; timeout 1h; size 4096; counter; }
    set got_v4 { type ipv4_addr; flags dynamic,timeout; timeout 1h; size 4096; counter; }
    set kept_v4 { type ipv4_addr; flags dynamic,timeout; timeout 1h; size 4096; counter; }
    set passedv4 { typeof ether saddr . ip daddr . meta l4proto . th dport; flags dynamic,timeout; timeout 600s; size 8192; }
    set stray_passedv4 { typeof ether saddr . ip daddr . meta l4proto . th dport; flags dynamic,timeout; timeout 600s; size 1024; }
    set triesv4 { typeof ether saddr . ip daddr . meta l4proto . th dport . meta mark; flags dynamic,timeout; timeout 600s; size 8192; }
    set stray_triesv4 { typeof ether saddr . ip daddr . meta l4proto . th dport . meta mark; flags dynamic,timeout; timeout 600s; size 1024; }
    set got_v6 { type ipv6_addr; flags dynamic,timeout; timeout 1h; size 4096; counter; }
    set kept_v6 { type ipv6_addr; flags dynamic,timeout; timeout 1h; size 4096; counter; }
    set passedv6 { typeof ether saddr . ip6 daddr . meta l4proto . th dport; flags dynamic,timeout; timeout 600s; size 8192; }
    set stray_passedv6 { typeof ether saddr . ip6 daddr . meta l4proto . th dport; flags dynamic,timeout; timeout 600s; size 1024; }
    set triesv6 { typeof ether saddr . ip6 daddr . meta l4proto . th dport . meta mark; flags dynamic,timeout; timeout 600s; size 8192; }
    set stray_triesv6 { typeof ether saddr . ip6 daddr . meta l4proto . th dport . meta mark; flags dynamic,timeout; timeout 600s; size 1024; }
    set marked { type mark;
    elements = { 0x00010000,
    0x00020000 }
    }
    set known { type ether_addr;
    elements = { 02:5e:00:00:00:0a,
    02:5e:00:00:00:0b }
    }
    chain cut {
    iifname "br0" meta l4proto tcp reject with tcp reset
    iifname "br0" reject with icmpx admin-prohibited
    drop
    }
    chain pass_unknown {
    meta nfproto ipv4 meta l4proto { tcp, udp } update @stray_passedv4 { ether saddr . ip daddr . meta l4proto . th dport }
    meta nfproto ipv6 meta l4proto { tcp, udp } update @stray_passedv6 { ether saddr . ip6 daddr . meta l4proto . th dport }
    accept
    }
    chain pass {
    ct state != new accept
    ether saddr != @known goto pass_unknown
    meta nfproto ipv4 meta l4proto { tcp, udp } update @passedv4 { ether saddr . ip daddr . meta l4proto . th dport }
    meta nfproto ipv6 meta l4proto { tcp, udp } update @passedv6 { ether saddr . ip6 daddr . meta l4proto . th dport }
    accept
    }
    chain stray_0 {
    update @stray_drops { ether saddr . 0 }
    meta nfproto ipv4 meta l4proto { tcp, udp } update @stray_triesv4 { ether saddr . ip daddr . meta l4proto . th dport . 0 }
    meta nfproto ipv6 meta l4proto { tcp, udp } update @stray_triesv6 { ether saddr . ip6 daddr . meta l4proto . th dport . 0 }
    return
    }
    chain sent_0 {
    ether saddr != @known goto stray_0
    update @drops { ether saddr . 0 }
    meta nfproto ipv4 meta l4proto { tcp, udp } update @triesv4 { ether saddr . ip daddr . meta l4proto . th dport . 0 }
    meta nfproto ipv6 meta l4proto { tcp, udp } update @triesv6 { ether saddr . ip6 daddr . meta l4proto . th dport . 0 }
    return
    }
    chain blocked_0 {
    iifname "br0" jump sent_0
    oifname "br0" ct mark and 0xffff0000 == @marked update @refused { ct mark and 0xffff0000 }
    oifname "br0" ct mark and 0xffff0000 != @marked meta nfproto ipv4 update @kept_v4 { ip daddr }
    oifname "br0" ct mark and 0xffff0000 != @marked meta nfproto ipv6 update @kept_v6 { ip6 daddr }
    goto cut
    }
    chain rules_1 {
    goto blocked_0
    goto pass
    }
    chain schedule_0 {
    goto pass
    }
    chain schedule_1 {
    meta time 1795719600-1795726800 goto pass
    meta time vmap { 0-1795719600 : goto cut, 1795726800-1795762800 : goto rules_1, 1796932800-18446744073 : goto cut }
    goto pass
    }
    chain fresh {
    meta l4proto { tcp, udp } th dport { 53, 853 } goto cut
    }
    chain device_1 {
    ct mark and 0xffff0000 == 0x00010000 goto schedule_1
    jump fresh
    ct mark and 0xffff0000 == @marked goto schedule_1
    ct mark set ct mark and 0x0000ffff or 0x00010000
    goto schedule_1
    }
    chain device_2 {
    ct mark and 0xffff0000 == @marked accept
    ct mark set ct mark and 0x0000ffff or 0x00020000
    accept
    }
    chain unknown_65535 {
    update @unknown { ether saddr }
    ct mark and 0xffff0000 == 0xffff0000 goto schedule_0
    jump fresh
    ct mark and 0xffff0000 == @marked goto schedule_0
    ct mark set ct mark and 0x0000ffff or 0xffff0000
    goto schedule_0
    }
    map adapters { type ether_addr : verdict; counter;
    elements = { 02:5e:00:00:00:0a : goto device_1,
    02:5e:00:00:00:0b : goto device_2 }
    }
    map marks { type mark : verdict; counter;
    elements = { 0x00010000 : continue,
    0x00020000 : continue }
    }
    map courses { type mark : verdict;
    elements = { 0x00010000 : goto schedule_1,
    0x00020000 : accept,
    0xffff0000 : goto schedule_0 }
    }
    map hostsv4 { typeof oifname . ip daddr : verdict;
    elements = { "br0" . 192.0.2.7 : goto schedule_1 }
    }
    map hostsv6 { typeof oifname . ip6 daddr : verdict;
    }
    chain outward {
    ether saddr vmap @adapters
    goto unknown_65535
    }
    chain strange {
    meta nfproto ipv4 update @got_v4 { ip daddr }
    meta nfproto ipv6 update @got_v6 { ip6 daddr }
    }
    chain inward {
    ct state new goto begun
    ct state invalid meta l4proto { icmp, icmpv6 } drop
    ct mark and 0xffff0000 vmap @marks
    ct mark and 0xffff0000 != @marked jump strange
    oifname . ip daddr vmap @hostsv4
    oifname . ip6 daddr vmap @hostsv6
    ct mark and 0xffff0000 vmap @courses
    drop
    }
    chain begun {
    ct status dnat accept
    drop
    }
    map resolvers { type ether_addr : inet_service;
    elements = { 02:5e:00:00:00:0a : PORT-A,
    02:5e:00:00:00:0b : PORT-B }
    }
    set askers { type ether_addr . inet_service;
    elements = { 02:5e:00:00:00:0a . PORT-A,
    02:5e:00:00:00:0b . PORT-B }
    }
    set answered { type ether_addr;
    elements = { 02:5e:00:00:00:0a,
    02:5e:00:00:00:0b }
    }
    set doors { type inet_service;
    elements = { PORT-UNKNOWN,
    PORT-A,
    PORT-B }
    }
    chain asked {
    meta l4proto { tcp, udp } redirect to :ether saddr map @resolvers
    meta l4proto { tcp, udp } redirect to :PORT-UNKNOWN
    }
    chain door {
    ct status dnat ether saddr . th dport @askers accept
    ct status dnat ether saddr != @answered th dport PORT-UNKNOWN accept
    drop
    }
    chain lookups {
    type nat hook prerouting priority dstnat - 5; policy accept;
    iifname "br0" meta l4proto { tcp, udp } th dport 53 goto asked
    }
    chain guard {
    type filter hook input priority -5; policy accept;
    iifname "br0" meta l4proto { tcp, udp } th dport @doors goto door
    meta l4proto { tcp, udp } th dport @doors drop
    iifname "br0" meta l4proto { tcp, udp } th dport 53 drop
    }
    chain forward {
    type filter hook forward priority -5; policy accept;
    iifname "br0" oifname "br0" accept
    iifname "br0" goto outward
    oifname "br0" goto inward
    }
    }
    "
  `)
})

test('what our table counted is read from what nft prints, and added up over tables that were replaced', async () => {
  vi.useFakeTimers({ toFake: ['Date'], now: readInstant('2026-11-26T20:00:00Z')! * 1000 })
  const fake = fakeRouter()
  const linux = await planeOn(fake)
  await linux.apply(policy)
  fake.outputs.set(LIST, readFileSync(join(import.meta.dirname, 'recorded/table.json'), 'utf8'))
  const told = async () => {
    const { devices, clauses, recent } = await linux.evidence()
    return {
      devices: devices.map(({ mac, seen, passed, dropped }) =>
        [mac, seen, passed, dropped].map(inWords).join(', '),
      ),
      clauses: clauses.map(({ id, dropped }) => `${id} dropped ${inWords(dropped)}`),
      recent: recent.map(({ mac, to, effect, because }) => [mac, to, effect, because].join(' ')),
    }
  }
  const once = {
    devices: [`${A}, 9/900, 0/0, 9/3420`, '02:5e:00:00:00:0c, 4/240, 4/240, 0/0'],
    clauses: ['nights dropped 7/420'],
    recent: [`${A} tcp://203.0.113.10:443 block nights`],
  }
  expect(await told()).toEqual(once)
  expect(await told()).toEqual(once)
  // Another table begins at nothing; that it counted as much again is what the same recording says.
  await linux.apply({ ...policy })
  expect((await told()).devices[0]).toBe(`${A}, 18/1800, 0/0, 18/6840`)
  // Where the table was removed, the last reading stands.
  fake.outputs.set(LIST, new ToolFault('No such file or directory'))
  expect((await told()).clauses).toEqual(['nights dropped 14/840'])
})

test('a table that somebody took away is put back as it was written, with who is there by now', async () => {
  const fake = fakeRouter()
  const linux = await planeOn(fake)
  const heard: string[] = []
  linux.start((change) => heard.push(change))
  await linux.apply(policy)
  const whole = fake.fed.at(-1)!
  // Our own writing is heard too, and the table is whole.
  fake.router.taken()
  await pause(100)
  expect(fake.fed).toEqual([whole])
  fake.outputs.set(
    NEIGHBOURS,
    JSON.stringify([{ dst: '192.0.2.7', dev: 'br0', lladdr: A, state: ['REACHABLE'] }]),
  )
  await expect
    .poll(() => fake.fed.slice(1), { timeout: 5000 })
    .toEqual(['add element inet kairostat hostsv4 { "br0" . 192.0.2.7 : goto schedule_1 }\n'])
  fake.outputs.set(LIST_RULES, new ToolFault('No such file or directory'))
  fake.router.taken()
  await expect.poll(() => fake.fed.length).toBe(4)
  expect(fake.fed.slice(2)).toEqual([whole, fake.fed[1]])
  expect(linux.troubles().map(({ kind, about }) => [kind, about])).toEqual([['put-back', 'inet kairostat']])
  expect(heard).toContain('status')
})

test('what nft does not take is refused and changes nothing; what may pass is no fault of the policy', async () => {
  const fake = fakeRouter()
  const linux = await planeOn(fake)
  fake.router.refusal = new ToolFault('nft -f -: Error: syntax error')
  expect([await linux.check(policy), await linux.apply(policy)]).toEqual(
    Array(2).fill([
      { path: '', message: 'cannot be put into the packet filter: nft -f -: Error: syntax error' },
    ]),
  )
  fake.router.refusal = new ToolFault('nft -f -: Error: Resource busy', true)
  await expect(linux.apply(policy)).rejects.toThrow('Resource busy')
  fake.router.refusal = null
  const guests = { id: 'guests', name: 'Guests', interfaces: ['br-guest'], subnets: [], note: '' }
  const inNetwork = { ...policy.rules[0]!, who: { ...policy.rules[0]!.who, networks: ['guests'] } }
  expect(await linux.check({ ...policy, networks: [guests] })).toBeNull()
  expect(await linux.check({ ...policy, networks: [guests], rules: [inNetwork] })).toEqual([
    {
      path: 'networks[0].interfaces',
      message:
        'Guests is on br-guest, which this gateway does not watch: choose one of br0, or start the gateway with --lan br-guest too',
    },
  ])
  expect([fake.fed, (await linux.evidence()).since]).toEqual([[], null])
  await expect(
    planeOn({
      ...fake,
      system: { ...fake.system, run: () => Promise.reject(new ToolFault('nft is missing')) },
    }),
  ).rejects.toThrow('nft is missing')
})

test('a clock that is set has the table written for it, and is told; evidence is told where packets went', async () => {
  const fake = fakeRouter()
  const faults: string[] = []
  const linux = await planeOn(fake, faults)
  const heard: string[] = []
  linux.start((change) => heard.push(change))
  await linux.apply(policy)
  const packets = (count: number) => `  br0: 840 ${count} 0 0 0 0 0 0 1200 9 0 0 0 0 0 0\n`
  fake.files.set('/proc/net/dev', packets(7))
  await expect.poll(() => heard, { timeout: 5000 }).toContain('evidence')
  heard.length = 0
  fake.router.aheadMs = 86_400_000
  await expect.poll(() => heard, { timeout: 5000 }).toContain('status')
  expect(linux.troubles().map(({ kind, about }) => [kind, about])).toEqual([['clock-set', '86400']])
  expect(Math.abs(linux.now() - Date.now() - 86_400_000)).toBeLessThan(1000)
  expect(fake.fed.length).toBe(2)
  await pause(1500)
  expect(heard).not.toContain('evidence')
  fake.files.set('/proc/net/dev', packets(8))
  await expect.poll(() => heard, { timeout: 5000 }).toContain('evidence')
  // A failure at every look is told once.
  fake.outputs.set(NEIGHBOURS, new ToolFault('ip is missing'))
  await expect.poll(() => faults, { timeout: 5000 }).toEqual(['looking at the network: Error: ip is missing'])
  await pause(1500)
  expect(faults.length).toBe(1)
})

const inWords = (part: string | { packets: number; bytes: number }) =>
  typeof part === 'string' ? part : `${part.packets}/${part.bytes}`
