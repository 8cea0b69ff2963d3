import { blockCovers, type Block } from '../../core/destination/address.ts'
import type { Service } from '../../core/destination/service.ts'
import type { Clause, Plan, PlanInterval } from '../../core/plan/plan.ts'

/** The table that is ours; no other is ever touched. */
export const TABLE = 'inet kairostat'
/** How long what was tried is remembered by the kernel, in seconds. */
export const REMEMBERED = 600
/**
 * The upper half of a connection's mark says whose it is; the lower belongs to others. The highest number
 * stands for every newcomer.
 */
export const NEWCOMER = 0xffff
/** So many stretches stand in one rule at most: nft takes no more than a few thousand at once. */
const AT_ONCE = 2000

/**
 * The address (RFC 5737) that a closed name has where it leads to the gateway's page: nobody's, so that
 * nothing else is taken from anyone.
 */
export const PAGE_ADDRESS = '192.0.2.80'
/** For how long an address counts that a name had after it was last asked for or sent to, in seconds. */
export const LIVES = 600

/** What the table is made for. */
export interface Setting {
  /** The interface of the local network. */
  readonly lan: string
  /** The number of each address, 1 to 65534. */
  readonly numbers: ReadonlyMap<string, number>
  /** What happens where the kernel's clock is outside the plan. */
  readonly outside: 'open' | 'closed'
  /**
   * The port on which the look-ups of each address of the plan are answered; what has none is never asked
   * for.
   */
  readonly ports: ReadonlyMap<string, number>
  /** The port on which those of every unknown device are answered. */
  readonly newcomersPort: number
  /** The port of the page; `null` = there is none. */
  readonly page: number | null
  /** Whether blocked names block their addresses. */
  readonly closedAddresses: boolean
  /** When it is written, in seconds by the plan's clock. */
  readonly now: number
  /** By how many seconds the plan's clock is ahead of the kernel's: 0, but in tests. */
  readonly ahead: number
  /**
   * The addresses that were found for the names of a clause, by its id, with the seconds for which they
   * count.
   */
  readonly found: (clause: string) => readonly { readonly address: string; readonly left: number }[]
  /** Who has an IP address of the local network, by the neighbour table. */
  readonly hosts: readonly Host[]
}

/** An IP address of the local network and the MAC address (lower case, colons) that has it. */
export interface Host {
  readonly address: string
  readonly mac: string
}

/** The two versions of IP, as nft and our sets call them. */
export const VERSIONS = [
  { set: 'v4', ip: 'ip', family: 'ipv4', type: 'ipv4_addr', version: 4 },
  { set: 'v6', ip: 'ip6', family: 'ipv6', type: 'ipv6_addr', version: 6 },
] as const
/** The version of IP of an address in its text. */
export const versionOf = (address: string): 4 | 6 => (address.includes(':') ? 6 : 4)

/**
 * Where the addresses go that the names of a clause have, by its place in the plan; `null` where it covers
 * no names, or does not go by their addresses: look-ups are logged by the resolver, and closed there.
 */
export function namesOf({ effect, what }: Clause, place: number, closedAddresses: boolean): string | null {
  return (effect === 'allow' || (effect === 'block' && closedAddresses)) &&
    what !== null &&
    (what.sets.some(({ hasNames }) => hasNames) || what.keywords.length > 0)
    ? `names${place}`
    : null
}

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
  const { lan, numbers, outside, ports, newcomersPort, page, closedAddresses, found, hosts } = setting
  const chain = (name: string, lines: readonly string[]) =>
    `chain ${name} {\n${lines.map((line) => `${line}\n`).join('')}}`
  const adapters = plan.adapters.map((one) => ({ ...one, number: numbers.get(one.mac)! }))
  const courses = courseOfMac(plan)
  const elements = (all: readonly string[]) => (all.length > 0 ? `elements = { ${all.join(',\n')} }\n` : '')
  const map = (name: string, type: string, all: readonly string[], counts = false) =>
    `map ${name} { type ${type};${counts ? ' counter;' : ''}\n${elements(all)}}`
  const asking = plan.adapters.filter(({ mac }) => ports.has(mac))
  const places = plan.clauses.map((clause, place) => ({ clause, place }))
  const [allowing, blocking, logging] = (['allow', 'block', 'log'] as const).map((effect) =>
    places.filter(({ clause }) => clause.effect === effect),
  ) as [typeof places, typeof places, typeof places]
  const remembers = (name: string, place?: number) =>
    VERSIONS.map((one) => `iifname "${lan}" ${remember(name, one, place)}`)
  return [
    `table ${TABLE}\ndelete table ${TABLE}\ntable ${TABLE} {`,
    'set unknown { type ether_addr; flags dynamic,timeout; timeout 1h; size 4096; counter; }',
    'set refused { typeof ct mark; flags dynamic; size 65535; counter; }',
    'set drops { typeof ether saddr . meta mark; flags dynamic; size 65535; counter; }',
    ...VERSIONS.map(
      ({ set, ip }) =>
        `set passed${set} { typeof ${keyOf(ip)}; flags dynamic,timeout; timeout ${REMEMBERED}s; size 8192; }`,
    ),
    ...VERSIONS.map(
      ({ set, ip }) =>
        `set tries${set} { typeof ${keyOf(ip)} . meta mark; flags dynamic,timeout; timeout ${REMEMBERED}s; size 8192; }`,
    ),
    ...allowing.map(({ place }) => `counter allowed_${place} {}`),
    ...places.flatMap(({ clause, place }) => {
      const name = namesOf(clause, place, closedAddresses)
      const all = name === null ? [] : found(clause.id)
      return name === null
        ? []
        : VERSIONS.map(({ set, type, version }) => {
            const own = all
              .filter(({ address }) => versionOf(address) === version)
              .map(({ address, left }) => `${address} timeout ${left}s`)
            return `set ${name}${set} { type ${type}; flags dynamic,timeout; timeout ${LIVES}s; size 65535;\n${elements(own)}}`
          })
    }),
    chain('cut', [
      `iifname "${lan}" meta l4proto tcp reject with tcp reset`,
      `iifname "${lan}" reject with icmpx admin-prohibited`,
      'drop',
    ]),
    // What is looked at once for each connection costs its other packets nothing.
    chain('pass', ['ct state != new accept', ...VERSIONS.map((one) => remember('passed', one)), 'accept']),
    ...blocking.map(({ place }) =>
      chain(`blocked_${place}`, [
        `iifname "${lan}" update @drops { ether saddr . ${place} }`,
        ...remembers('tries', place),
        `oifname "${lan}" update @refused { ct mark and 0xffff0000 }`,
        'goto cut',
      ]),
    ),
    // What is only logged goes on to the clause after it.
    ...logging.map(({ place }) =>
      chain(`logged_${place}`, [
        `iifname "${lan}" update @drops { ether saddr . ${place} }`,
        ...remembers('tries', place),
      ]),
    ),
    ...plan.standings.flatMap((clauses, index) =>
      standingChains(clauses, index, plan, setting).map(([name, lines]) => chain(name, lines)),
    ),
    ...plan.courses.map((stretches, index) =>
      chain(
        `schedule_${index}`,
        courseLines(stretches, plan, setting, outside === 'closed' ? 'goto cut' : 'accept'),
      ),
    ),
    map(
      'courses',
      'ether_addr : verdict',
      adapters.map(({ mac, course }) => `${mac} : ${towardsCourse(course)}`),
    ),
    `set marked { type mark;\n${elements(adapters.map(({ number }) => markOf(number)))}}`,
    chain('byaddress', ['ether saddr vmap @courses', `goto schedule_${plan.newcomers}`]),
    // The first packet of a connection, or of one that began before this table. Look-ups elsewhere (RFC
    // 1035), over TLS (RFC 7858) and QUIC (RFC 9250) would go around the
    // resolver. A connection of somebody else keeps its mark, and the packet is judged by who sends it.
    chain('fresh', [
      'meta l4proto { tcp, udp } th dport { 53, 853 } goto cut',
      'ct mark and 0xffff0000 == @marked goto byaddress',
    ]),
    ...adapters.map(({ number, course }) =>
      chain(
        `device_${number}`,
        course === null
          ? [`ct mark and 0xffff0000 == @marked accept`, markAs(number), 'accept']
          : [
              `ct mark and 0xffff0000 == ${markOf(number)} goto schedule_${course}`,
              'jump fresh',
              markAs(number),
              `goto schedule_${course}`,
            ],
      ),
    ),
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
    map(
      'resolvers',
      'ether_addr : inet_service',
      asking.map(({ mac }) => `${mac} : ${ports.get(mac)}`),
    ),
    `set askers { type ether_addr . inet_service;\n${elements(asking.map(({ mac }) => `${mac} . ${ports.get(mac)}`))}}`,
    `set known { type ether_addr;\n${elements(asking.map(({ mac }) => mac))}}`,
    `set doors { type inet_service;\n${elements([...new Set([...ports.values(), newcomersPort])].map(String))}}`,
    chain('lookups', [
      'type nat hook prerouting priority dstnat - 5; policy accept;',
      `iifname "${lan}" meta l4proto { tcp, udp } th dport 53 redirect to :ether saddr map @resolvers`,
      `iifname "${lan}" meta l4proto { tcp, udp } th dport 53 redirect to :${newcomersPort}`,
      ...(page === null
        ? []
        : [`iifname "${lan}" ip daddr ${PAGE_ADDRESS} tcp dport 80 redirect to :${page}`]),
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
      ...(page === null ? [] : [`iifname != { "${lan}", "lo" } tcp dport ${page} drop`]),
    ]),
    chain('outward', ['ether saddr vmap @adapters', 'goto newcomer']),
    chain('inward', [
      'ct mark and 0xffff0000 vmap @marks',
      'ct state new goto begun',
      ...VERSIONS.map(({ set, ip }) => `${ip} daddr vmap @hosts${set}`),
      `ct mark and 0xffff0000 == ${markOf(NEWCOMER)} goto schedule_${plan.newcomers}`,
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
    '}',
    '',
  ].join('\n')
}

const towardsCourse = (course: number | null) => (course === null ? 'accept' : `goto schedule_${course}`)

/** The course of each address of a plan; an address that is not in it has that of the unknown ones. */
export function courseOfMac(plan: Plan): ReadonlyMap<string, number | null> {
  return new Map(plan.adapters.map(({ mac, course }) => [mac, course]))
}

/** Who has an address, as an element of its map. */
function hostElement(
  { address, mac }: Host,
  courses: ReadonlyMap<string, number | null>,
  { newcomers }: Plan,
): string {
  return `${address} : ${towardsCourse(courses.has(mac) ? courses.get(mac)! : newcomers)}`
}

/**
 * Lines that bring the maps of hosts up to date: addresses that are gone, or have another course now, and
 * those that are there.
 */
export function hostLines(gone: readonly Host[], come: readonly Host[], plan: Plan): string {
  const courses = courseOfMac(plan)
  return VERSIONS.map(({ set, version }) => {
    const own = (all: readonly Host[]) => all.filter(({ address }) => versionOf(address) === version)
    const line = (act: string, all: readonly string[]) =>
      all.length === 0 ? '' : `${act} element ${TABLE} hosts${set} { ${all.join(', ')} }\n`
    return (
      line(
        'delete',
        own(gone).map((host) => hostElement(host, courses, plan)),
      ) +
      line(
        'add',
        own(come).map((host) => hostElement(host, courses, plan)),
      )
    )
  }).join('')
}

/** Addresses for a set of our table, which stands once for each version of IP. */
export interface SetElements {
  readonly set: string
  readonly addresses: readonly string[]
}

/** Lines that put addresses into sets. */
export function elementLines(all: readonly SetElements[]): string {
  const lines = all.flatMap(({ set: name, addresses }) =>
    VERSIONS.map(({ set, version }) => {
      const own = addresses.filter((address) => versionOf(address) === version)
      return own.length === 0 ? '' : `add element ${TABLE} ${name}${set} { ${own.join(', ')} }\n`
    }),
  )
  return lines.join('')
}

/**
 * The chains of a standing: what is sent, by the packet; what comes back, by what the connection asked for,
 * or where it is not tracked by the packet.
 */
function standingChains(
  clauses: readonly number[],
  index: number,
  plan: Plan,
  setting: Setting,
): [name: string, lines: string[]][] {
  if (clauses.length === 0) return []
  const lines = (way: Way) => [
    ...clauses.flatMap((place) => clauseLines(plan.clauses[place]!, place, way, setting)),
    'goto pass',
  ]
  if (clauses.every((place) => plan.clauses[place]!.what === null)) return [[`rules_${index}`, lines('out')]]
  // A chain is named before it is gone to.
  return [
    [`answers_${index}`, lines('back')],
    [`rules_${index}`, [`oifname "${setting.lan}" goto answers_${index}`, ...lines('out')]],
  ]
}

const markOf = (number: number) => `0x${number.toString(16).padStart(4, '0')}0000`
const markAs = (number: number) => `ct mark set ct mark and 0x0000ffff or ${markOf(number)}`

/**
 * What the kernel remembers of a try: who, where to, and by which clause it was dropped, in a set of its own
 * for each version of IP.
 */
const keyOf = (ip: string) => `ether saddr . ${ip} daddr . meta l4proto . th dport`
const remember = (name: string, { set, ip, family }: (typeof VERSIONS)[number], place?: number) =>
  `meta nfproto ${family} meta l4proto { tcp, udp } update @${name}${set} { ${keyOf(ip)}${place === undefined ? '' : ` . ${place}`} }`

/** The last second of the kernel's clock, which counts nanoseconds in 64 bits. */
const EVER = 18_446_744_073

/**
 * A course by the kernel's clock. The most frequent standing is what is left over when no stretch matches.
 * The clock counts nanoseconds: the end of a range is that very nanosecond, not the second that
 * begins with it. What is going on when the table is written stands before all maps, since it is what most
 * packets meet. Stretches that touch have it in common, which a map does not take, so that every other of
 * them stands in a second map.
 */
function courseLines(
  stretches: readonly PlanInterval[],
  { from, until, standings }: Plan,
  { ahead, now }: Setting,
  outside: string,
): string[] {
  // Whom no rule applies to passes whatever the clock says.
  if (stretches.every(({ standing }) => standings[standing]!.length === 0)) return ['goto pass']
  const towardsOf = (standing: number) =>
    standings[standing]!.length === 0 ? 'goto pass' : `goto rules_${standing}`
  const often = new Map<number, number>()
  for (const { standing } of stretches) often.set(standing, (often.get(standing) ?? 0) + 1)
  const [rest] = [...often].reduce((most, one) => (one[1] > most[1] ? one : most))
  const current = stretches.find((one) => one.from <= now && now < one.until)
  const told = [
    { from: ahead, until: from, verdict: outside },
    ...stretches
      .filter((one) => one !== current && one.standing !== rest)
      .map(({ from, until, standing }) => ({ from, until, verdict: towardsOf(standing) })),
    { from: until, until: EVER + ahead, verdict: outside },
  ]
  const maps: [string[], string[]] = [[], []]
  let side = 0
  told.forEach(({ from, until, verdict }, index) => {
    side = told[index - 1]?.until === from ? 1 - side : 0
    maps[side]!.push(`${from - ahead}-${until - ahead} : ${verdict}`)
  })
  return [
    ...(current
      ? [`meta time ${current.from - ahead}-${current.until - ahead} ${towardsOf(current.standing)}`]
      : []),
    ...maps.flatMap((all) =>
      Array.from(
        { length: Math.ceil(all.length / AT_ONCE) },
        (_, part) => `meta time vmap { ${all.slice(part * AT_ONCE, (part + 1) * AT_ONCE).join(', ')} }`,
      ),
    ),
    towardsOf(rest),
  ]
}

/** The way of a packet: sent by a device, or back to it. */
type Way = 'out' | 'back'

/** What a clause does with the packets that it covers, on one way. */
function clauseLines(clause: Clause, place: number, way: Way, { closedAddresses }: Setting): string[] {
  const { effect, what } = clause
  let verdict
  if (effect === 'block') verdict = `goto blocked_${place}`
  else if (effect === 'log') verdict = `jump logged_${place}`
  else verdict = `counter name allowed_${place} goto pass`
  if (what === null) return [verdict]
  const blocks = ([4, 6] as const).flatMap((version) => {
    // nft takes no block beside one that covers it.
    const all = what.sets.flatMap((set) => set.blocks)
    const some = [...new Map(all.map((block) => [block.text, block])).values()].filter(
      (block) =>
        block.version === version &&
        !all.some((other) => other.text !== block.text && blockCovers(other, block)),
    )
    return some.length === 0
      ? []
      : destinations(way, version).map(
          (destination) => `${destination} { ${some.map(({ text }) => text).join(', ')} } ${verdict}`,
        )
  })
  const name = namesOf(clause, place, closedAddresses)
  const names =
    name === null
      ? []
      : VERSIONS.flatMap(({ set, ip, version }) =>
          destinations(way, version).map((destination) => {
            // What is in use lives on: sending to an address keeps it.
            const keeps = way === 'out' ? `update @${name}${set} { ${ip} daddr timeout ${LIVES}s } ` : ''
            return `${destination} @${name}${set} ${keeps}${verdict}`
          }),
        )
  return [
    ...blocks,
    ...names,
    ...what.services.flatMap((service) => serviceMatches(service, way).map((match) => `${match} ${verdict}`)),
  ]
}

/** How the far side of a packet is written, in each case that there is on a way. */
function destinations(way: Way, version: Block['version']): string[] {
  const ip = version === 4 ? 'ip' : 'ip6'
  return way === 'out' ? [`${ip} daddr`] : [`ct original ${ip} daddr`, `${UNTRACKED} ${ip} saddr`]
}

/** What the kernel tracks no connection of, or finds wrong. */
const UNTRACKED = 'ct state invalid,untracked'

function serviceMatches({ protocol, ports, towards: block }: Service, way: Way): string[] {
  const range = ports.map(({ first, last }) => (first === last ? first : `${first}-${last}`)).join(', ')
  const far = block
    ? destinations(way, block.version).map((destination) => `${destination} ${block.text} `)
    : ['', way === 'back' ? `${UNTRACKED} ` : '']
  if (way === 'out') return [`meta l4proto ${protocol} ${far[0]}th dport { ${range} }`]
  return [
    `meta l4proto ${protocol} ${far[0]}ct original proto-dst { ${range} }`,
    `meta l4proto ${protocol} ${far[1]}th sport { ${range} }`,
  ]
}
