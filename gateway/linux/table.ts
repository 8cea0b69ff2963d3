import type { Plan } from '../../core/plan/plan.ts'
import { standingChains } from './table-clauses.ts'
import { hostElement } from './table-elements.ts'
import { courseLines } from './table-schedule.ts'
import {
  courseOfMac,
  keyOf,
  LIVES,
  markAs,
  markOf,
  namesOf,
  NEWCOMER,
  PAGE_ADDRESS,
  remember,
  REMEMBERED,
  TABLE,
  towardsCourse,
  VERSIONS,
  versionOf,
  type Setting,
} from './table-setting.ts'

/**
 * Writes a plan as a text for `nft -f`, which puts it in the place of the table before, whole or not at all.
 *
 * What a device sends is judged by its MAC address, whatever its IP address and its connection say:
 * `adapters` leads to a chain that marks
 * the connection and goes to the course of the device; a course goes by the kernel's clock to a standing, a
 * standing through its clauses in
 * order. The way back is judged by the mark, or where there is none (what began before the table, what the
 * kernel does not track or finds
 * invalid) by whose the IP address is; what can't be told is dropped. Look-ups are led to a port of their own
 * for each address, so that
 * who asks is who sends. What is counted stands in few sets, by the place of the clause, since the kernel
 * makes room for each.
 */
export function tableText(plan: Plan, setting: Setting): string {
  return [
    `table ${TABLE}\ndelete table ${TABLE}\ntable ${TABLE} {`,
    ...memorySets(),
    ...clauseSets(plan, setting),
    ...endChains(setting),
    ...clauseChains(plan, setting),
    ...deviceChains(plan, setting),
    ...lookupChains(plan, setting),
    ...forwardChains(plan, setting),
    '}',
    '',
  ].join('\n')
}

const chain = (name: string, lines: readonly string[]) =>
  `chain ${name} {\n${lines.map((line) => `${line}\n`).join('')}}`
const elements = (all: readonly string[]) => (all.length > 0 ? `elements = { ${all.join(',\n')} }\n` : '')
const map = (name: string, type: string, all: readonly string[], counts = false) =>
  `map ${name} { type ${type};${counts ? ' counter;' : ''}\n${elements(all)}}`
const set = (name: string, type: string, all: readonly string[]) =>
  `set ${name} { type ${type};\n${elements(all)}}`

/** The sets in which the kernel counts and remembers. */
function memorySets(): string[] {
  const remembering = (key: string) =>
    `typeof ${key}; flags dynamic,timeout; timeout ${REMEMBERED}s; size 8192;`
  return [
    'set unknown { type ether_addr; flags dynamic,timeout; timeout 1h; size 4096; counter; }',
    'set refused { typeof ct mark; flags dynamic; size 65535; counter; }',
    'set drops { typeof ether saddr . meta mark; flags dynamic; size 65535; counter; }',
    ...VERSIONS.map((one) => `set passed${one.set} { ${remembering(keyOf(one.ip))} }`),
    ...VERSIONS.map((one) => `set tries${one.set} { ${remembering(`${keyOf(one.ip)} . meta mark`)} }`),
  ]
}

/** The counters of clauses that allow, and the sets of the addresses that names of a clause have. */
function clauseSets({ clauses }: Plan, { closedAddresses, found }: Setting): string[] {
  const counters = clauses.flatMap(({ effect }, place) =>
    effect === 'allow' ? [`counter allowed_${place} {}`] : [],
  )
  const sets = clauses.flatMap((clause, place) => {
    const name = namesOf(clause, place, closedAddresses)
    if (name === null) return []
    const all = found(clause.id)
    return VERSIONS.map(({ set, type, version }) => {
      const own = all
        .filter(({ address }) => versionOf(address) === version)
        .map(({ address, left }) => `${address} timeout ${left}s`)
      return `set ${name}${set} { type ${type}; flags dynamic,timeout; timeout ${LIVES}s; size 65535;\n${elements(own)}}`
    })
  })
  return [...counters, ...sets]
}

/** Where packets end. */
function endChains({ lan }: Setting): string[] {
  return [
    chain('cut', [
      `iifname "${lan}" meta l4proto tcp reject with tcp reset`,
      `iifname "${lan}" reject with icmpx admin-prohibited`,
      'drop',
    ]),
    // What is looked at once for each connection costs its other packets nothing.
    chain('pass', ['ct state != new accept', ...VERSIONS.map((one) => remember('passed', one)), 'accept']),
  ]
}

/** What each clause does, in which order they are asked, and when. */
function clauseChains(plan: Plan, setting: Setting): string[] {
  const { lan, outside } = setting
  const counting = (place: number) => [
    `iifname "${lan}" update @drops { ether saddr . ${place} }`,
    ...VERSIONS.map((one) => `iifname "${lan}" ${remember('tries', one, place)}`),
  ]
  const refusing = `oifname "${lan}" update @refused { ct mark and 0xffff0000 }`
  const withEffect = (effect: string) =>
    plan.clauses.flatMap((clause, place) => (clause.effect === effect ? [place] : []))
  return [
    ...withEffect('block').map((place) =>
      chain(`blocked_${place}`, [...counting(place), refusing, 'goto cut']),
    ),
    // What is only logged goes on to the clause after it.
    ...withEffect('log').map((place) => chain(`logged_${place}`, counting(place))),
    ...plan.standings.flatMap((clauses, index) =>
      standingChains(clauses, index, plan, setting).map(([name, lines]) => chain(name, lines)),
    ),
    ...plan.courses.map((intervals, index) =>
      chain(
        `schedule_${index}`,
        courseLines(intervals, plan, setting, outside === 'closed' ? 'goto cut' : 'accept'),
      ),
    ),
  ]
}

/** Whose a packet is, on the way out by its MAC address, on the way back by its mark or IP address. */
function deviceChains(plan: Plan, { numbers, hosts }: Setting): string[] {
  const courses = courseOfMac(plan)
  const adapters = plan.adapters.map((one) => ({ ...one, number: numbers.get(one.mac)! }))
  const deviceLines = (number: number, course: number | null) =>
    course === null
      ? ['ct mark and 0xffff0000 == @marked accept', markAs(number), 'accept']
      : [
          `ct mark and 0xffff0000 == ${markOf(number)} goto schedule_${course}`,
          'jump fresh',
          markAs(number),
          `goto schedule_${course}`,
        ]
  return [
    map(
      'courses',
      'ether_addr : verdict',
      adapters.map(({ mac, course }) => `${mac} : ${towardsCourse(course)}`),
    ),
    set(
      'marked',
      'mark',
      adapters.map(({ number }) => markOf(number)),
    ),
    chain('byaddress', ['ether saddr vmap @courses', `goto schedule_${plan.newcomers}`]),
    // The first packet of a connection, or of one that began before this table. Look-ups elsewhere (RFC
    // 1035), over TLS (RFC 7858) and QUIC (RFC 9250) would go around the resolver. A connection of somebody
    // else keeps its mark, and the packet is judged by who sends it.
    chain('fresh', [
      'meta l4proto { tcp, udp } th dport { 53, 853 } goto cut',
      'ct mark and 0xffff0000 == @marked goto byaddress',
    ]),
    ...adapters.map(({ number, course }) => chain(`device_${number}`, deviceLines(number, course))),
    chain('newcomer', [
      'update @unknown { ether saddr }',
      `ct mark and 0xffff0000 == ${markOf(NEWCOMER)} goto schedule_${plan.newcomers}`,
      'jump fresh',
      markAs(NEWCOMER),
      `goto schedule_${plan.newcomers}`,
    ]),
    map(
      'adapters',
      'ether_addr : verdict',
      adapters.map(({ mac, number }) => `${mac} : goto device_${number}`),
      true,
    ),
    map(
      'marks',
      'mark : verdict',
      adapters.map(({ number, course }) => `${markOf(number)} : ${towardsCourse(course)}`),
      true,
    ),
    ...VERSIONS.map(({ set, type, version }) =>
      map(
        `hosts${set}`,
        `${type} : verdict`,
        hosts
          .filter(({ address }) => versionOf(address) === version)
          .map((host) => hostElement(host, courses, plan)),
      ),
    ),
  ]
}

/** How look-ups are led to the resolver, each to the port of who asks. */
function lookupChains(plan: Plan, { lan, ports, newcomersPort, page }: Setting): string[] {
  const askers = plan.adapters.flatMap(({ mac }) => (ports.has(mac) ? [{ mac, port: ports.get(mac)! }] : []))
  const doors = new Set([...ports.values(), newcomersPort])
  const toPage =
    page === null ? [] : [`iifname "${lan}" ip daddr ${PAGE_ADDRESS} tcp dport 80 redirect to :${page}`]
  const pageGuard = page === null ? [] : [`iifname != { "${lan}", "lo" } tcp dport ${page} drop`]
  return [
    map(
      'resolvers',
      'ether_addr : inet_service',
      askers.map(({ mac, port }) => `${mac} : ${port}`),
    ),
    set(
      'askers',
      'ether_addr . inet_service',
      askers.map(({ mac, port }) => `${mac} . ${port}`),
    ),
    set(
      'known',
      'ether_addr',
      askers.map(({ mac }) => mac),
    ),
    set('doors', 'inet_service', [...doors].map(String)),
    chain('lookups', [
      'type nat hook prerouting priority dstnat - 5; policy accept;',
      `iifname "${lan}" meta l4proto { tcp, udp } th dport 53 redirect to :ether saddr map @resolvers`,
      `iifname "${lan}" meta l4proto { tcp, udp } th dport 53 redirect to :${newcomersPort}`,
      ...toPage,
    ]),
    // A port answers whose it is: what was led there, and sent by them, whatever an earlier connection says.
    // Nothing else reaches it.
    chain('door', [
      `iifname "${lan}" ct status dnat ether saddr . th dport @askers accept`,
      `iifname "${lan}" ct status dnat ether saddr != @known th dport ${newcomersPort} accept`,
      'drop',
    ]),
    chain('guard', [
      'type filter hook input priority -5; policy accept;',
      'meta l4proto { tcp, udp } th dport @doors goto door',
      // What was not led there would be answered by another resolver of this machine.
      `iifname "${lan}" meta l4proto { tcp, udp } th dport 53 drop`,
      ...pageGuard,
    ]),
  ]
}

/** Where packets begin that the router forwards. */
function forwardChains({ newcomers }: Plan, { lan, page }: Setting): string[] {
  return [
    chain('outward', ['ether saddr vmap @adapters', 'goto newcomer']),
    chain('inward', [
      'ct mark and 0xffff0000 vmap @marks',
      'ct state new goto begun',
      ...VERSIONS.map(({ set, ip }) => `${ip} daddr vmap @hosts${set}`),
      `ct mark and 0xffff0000 == ${markOf(NEWCOMER)} goto schedule_${newcomers}`,
      'drop',
    ]),
    // What is begun from outside passes where the router forwards it to a device on purpose; its answers go
    // the device's own way.
    chain('begun', ['ct status dnat accept', 'drop']),
    // What stays within the local network is nobody's to cut or to count.
    chain('forward', [
      'type filter hook forward priority -5; policy accept;',
      `iifname "${lan}" oifname "${lan}" accept`,
      ...(page === null ? [] : [`ip daddr ${PAGE_ADDRESS} goto cut`]),
      `iifname "${lan}" goto outward`,
      `oifname "${lan}" goto inward`,
    ]),
  ]
}
