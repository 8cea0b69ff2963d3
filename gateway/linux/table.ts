import { blockCovers, type Block } from '../../core/destination/address.ts'
import type { Service } from '../../core/destination/service.ts'
import type { Clause, Plan, Stretch } from '../../core/plan/plan.ts'

/** The table that is ours; no other is ever touched. */
export const TABLE = 'inet kairostat'
/** How long what was tried is remembered by the kernel, in seconds. */
export const REMEMBERED = 600
/** The upper half of a connection's mark says whose it is; the lower belongs to others. The highest number stands for every newcomer. */
export const NEWCOMER = 0xffff
/** So many stretches stand in one rule at most: nft takes no more than a few thousand at once. */
const AT_ONCE = 2000

/** The address (RFC 5737) that a closed name has where it leads to the gateway's page: nobody's, so that nothing else is taken from anyone. */
export const PAGE_ADDRESS = '192.0.2.80'
/** For how long an address counts that a name had after it was last asked for or sent to, in seconds. */
export const LIVES = 600

/**
 * What the table is made for: the interface of the local network, the number of each address (1 to 65534), what happens where the kernel's clock is outside the plan, the port of the
 * resolver and of the page (`null` = there is none), whether closed names close their addresses, and the addresses that were found for the names of each clause, by its id, with the seconds for which they count.
 */
export interface Setting {
  readonly lan: string
  readonly numbers: ReadonlyMap<string, number>
  readonly outside: 'open' | 'closed'
  readonly resolver: number
  readonly page: number | null
  readonly closedAddresses: boolean
  /** When it is written, in seconds by the plan's clock. */
  readonly now: number
  /** By how many seconds the plan's clock is ahead of the kernel's: 0, but in tests. */
  readonly ahead: number
  readonly found: (clause: string) => readonly { readonly address: string, readonly left: number }[]
}

/** The two versions of IP, as nft and our sets call them. */
export const VERSIONS = [
  { set: 'v4', ip: 'ip', family: 'ipv4', type: 'ipv4_addr', version: 4 }, { set: 'v6', ip: 'ip6', family: 'ipv6', type: 'ipv6_addr', version: 6 },
] as const
/** The version of IP of an address in its text. */
export const versionOf = (address: string): 4 | 6 => address.includes(':') ? 6 : 4

/** Where the addresses go that the names of a clause have, by its place in the plan; `null` where it speaks of no names, or does not go by their addresses: look-ups are logged by the resolver, and closed there. */
export function namesOf({ effect, what }: Clause, place: number, closedAddresses: boolean): string | null {
  return (effect === 'allow' || (effect === 'block' && closedAddresses)) && what !== null && what.hosts.size + what.keywords.length > 0 ? `names${place}` : null
}

/**
 * Writes a plan as a text for `nft -f`, which puts it in the place of the table before, whole or not at all. Each address has a chain that marks its connections and goes to
 * its course; a course goes by the kernel's clock to a standing, a standing through its clauses in order. The way back finds the course by the mark. What is counted stands in few sets,
 * by the place of the clause, since the kernel makes room for each when it is loaded.
 */
export function tableText(plan: Plan, setting: Setting): string {
  const { lan, numbers, outside, resolver, page, closedAddresses, found } = setting
  // What stays within the local network is nobody's to cut.
  const local = `iifname "${lan}" oifname "${lan}" accept`
  const chain = (name: string, lines: readonly string[]) => `chain ${name} {\n${lines.map(line => `${line}\n`).join('')}}`
  const adapters = plan.adapters.map(one => ({ ...one, number: numbers.get(one.mac)! }))
  const map = (name: string, type: string, elements: readonly string[]) => `map ${name} { type ${type} : verdict; counter;\n${elements.length > 0 ? `elements = { ${elements.join(',\n')} }\n` : ''}}`
  const places = plan.clauses.map((clause, place) => ({ clause, place }))
  const [allowing, blocking, logging] = (['allow', 'block', 'log'] as const).map(effect => places.filter(({ clause }) => clause.effect === effect)) as [typeof places, typeof places, typeof places]
  return [
    `table ${TABLE}\ndelete table ${TABLE}\ntable ${TABLE} {`,
    'set unknown { type ether_addr; flags dynamic,timeout; timeout 1h; size 4096; counter; }',
    'set refused { typeof ct mark; flags dynamic; size 65535; counter; }',
    'set drops { typeof ether saddr . meta mark; flags dynamic; size 65535; counter; }',
    ...VERSIONS.map(({ set, ip }) => `set passed${set} { typeof ${keyOf(ip)}; flags dynamic,timeout; timeout ${REMEMBERED}s; size 8192; }`),
    ...VERSIONS.map(({ set, ip }) => `set tries${set} { typeof ${keyOf(ip)} . meta mark; flags dynamic,timeout; timeout ${REMEMBERED}s; size 8192; }`),
    ...allowing.map(({ place }) => `counter allows${place} {}`),
    ...places.flatMap(({ clause, place }) => {
      const name = namesOf(clause, place, closedAddresses)
      const all = name === null ? [] : found(clause.id)
      return name === null ? [] : VERSIONS.map(({ set, type, version }) => {
        const elements = all.filter(({ address }) => versionOf(address) === version).map(({ address, left }) => `${address} timeout ${left}s`)
        return `set ${name}${set} { type ${type}; flags dynamic,timeout; timeout ${LIVES}s; size 65535;\n${elements.length > 0 ? `elements = { ${elements.join(', ')} }\n` : ''}}`
      })
    }),
    chain('cut', [local, `iifname "${lan}" meta l4proto tcp reject with tcp reset`, `iifname "${lan}" reject with icmpx admin-prohibited`, 'drop']),
    // Look-ups over TLS (RFC 7858) and QUIC (RFC 9250) would go around the resolver. What is looked at once for each connection costs its other packets nothing.
    chain('pass', ['ct state != new accept', 'tcp dport 853 goto cut', 'udp dport 853 goto cut', ...VERSIONS.map(one => remember('passed', one)), 'accept']),
    ...blocking.map(({ place }) => chain(`k${place}`, [local, `iifname "${lan}" update @drops { ether saddr . ${place} }`, ...VERSIONS.map(one => `iifname "${lan}" ${remember('tries', one, place)}`), `oifname "${lan}" update @refused { ct mark and 0xffff0000 }`, 'goto cut'])),
    // What is only logged goes on to the clause after it.
    ...logging.map(({ place }) => chain(`l${place}`, [local, `iifname "${lan}" update @drops { ether saddr . ${place} }`, ...VERSIONS.map(one => `iifname "${lan}" ${remember('tries', one, place)}`)])),
    ...plan.standings.flatMap((clauses, index) => clauses.length === 0 ? [] : [chain(`s${index}`, [...clauses.flatMap(place => clauseLines(plan.clauses[place]!, place, setting)), 'goto pass'])]),
    ...plan.courses.map((stretches, index) => chain(`t${index}`, courseLines(stretches, plan, setting, outside === 'closed' ? 'goto cut' : 'accept'))),
    ...adapters.map(({ number, course }) => chain(`d${number}`, [markAs(number), course === null ? 'accept' : `goto t${course}`])),
    chain('newcomer', ['update @unknown { ether saddr }', markAs(NEWCOMER), `goto t${plan.newcomers}`]),
    map('adapters', 'ether_addr', adapters.map(({ mac, number }) => `${mac} : goto d${number}`)),
    map('marks', 'mark', adapters.map(({ number, course }) => `${markOf(number)} : ${course === null ? 'accept' : `goto t${course}`}`)),
    chain('lookups', ['type nat hook prerouting priority dstnat - 5; policy accept;', `iifname "${lan}" meta l4proto { tcp, udp } th dport 53 redirect to :${resolver}`, ...page === null ? [] : [`iifname "${lan}" ip daddr ${PAGE_ADDRESS} tcp dport 80 redirect to :${page}`]]),
    // Resolver and page are for the local network alone: elsewhere they would answer for whoever makes up a sender.
    chain('guard', ['type filter hook input priority -5; policy accept;', `iifname != { "${lan}", "lo" } meta l4proto { tcp, udp } th dport { ${[resolver, ...page === null ? [] : [page]].join(', ')} } drop`]),
    chain('outward', ['ether saddr vmap @adapters', 'goto newcomer']),
    // What is begun from outside is nobody's and would pass every course by; what the router forwards to a device on purpose is let in, and its answers go the device's own way.
    chain('inward', ['ct state new goto begun', `ct mark and 0xffff0000 == ${markOf(NEWCOMER)} goto t${plan.newcomers}`]),
    chain('begun', ['ct status dnat accept', 'drop']),
    // Whose a connection is was found by the address that began it; its mark says so from then on, both ways.
    chain('forward', ['type filter hook forward priority -5; policy accept;', ...page === null ? [] : [`ip daddr ${PAGE_ADDRESS} goto cut`], 'ct mark and 0xffff0000 vmap @marks', `iifname "${lan}" goto outward`, `oifname "${lan}" goto inward`]),
    '}', '',
  ].join('\n')
}

const markOf = (number: number) => `0x${number.toString(16).padStart(4, '0')}0000`
const markAs = (number: number) => `ct mark set ct mark and 0x0000ffff or ${markOf(number)}`

/** What the kernel remembers of a try: who, where to, and by which clause it was dropped, in a set of its own for each version of IP. */
const keyOf = (ip: string) => `ether saddr . ${ip} daddr . meta l4proto . th dport`
const remember = (name: string, { set, ip, family }: typeof VERSIONS[number], place?: number) =>
  `meta nfproto ${family} meta l4proto { tcp, udp } update @${name}${set} { ${keyOf(ip)}${place === undefined ? '' : ` . ${place}`} }`

/** The last second of the kernel's clock, which counts nanoseconds in 64 bits. */
const EVER = 18_446_744_073

/**
 * A course by the kernel's clock. The most frequent standing is what is left over when no stretch matches. The clock counts nanoseconds: the end of a range is that very nanosecond, not the second that
 * begins with it. What is going on when the table is written stands before all maps, since it is what most packets meet. Stretches that touch have it in common, which a map does not take, so that every other of them stands in a second map.
 */
function courseLines(stretches: readonly Stretch[], { from, until, standings }: Plan, { ahead, now }: Setting, outside: string): string[] {
  // Whom no rule speaks of passes whatever the clock says.
  if (stretches.every(({ standing }) => standings[standing]!.length === 0)) return ['goto pass']
  const towardsOf = (standing: number) => standings[standing]!.length === 0 ? 'goto pass' : `goto s${standing}`
  const often = new Map<number, number>()
  for (const { standing } of stretches) often.set(standing, (often.get(standing) ?? 0) + 1)
  const [rest] = [...often].reduce((most, one) => one[1] > most[1] ? one : most)
  const current = stretches.find(one => one.from <= now && now < one.until)
  const told = [
    { from: ahead, until: from, verdict: outside }, ...stretches.filter(one => one !== current && one.standing !== rest).map(({ from, until, standing }) => ({ from, until, verdict: towardsOf(standing) })), { from: until, until: EVER + ahead, verdict: outside },
  ]
  const maps: [string[], string[]] = [[], []]
  let side = 0
  told.forEach(({ from, until, verdict }, index) => {
    side = told[index - 1]?.until === from ? 1 - side : 0
    maps[side]!.push(`${from - ahead}-${until - ahead} : ${verdict}`)
  })
  return [...current ? [`meta time ${current.from - ahead}-${current.until - ahead} ${towardsOf(current.standing)}`] : [], ...maps.flatMap(all => Array.from({ length: Math.ceil(all.length / AT_ONCE) }, (_, part) => `meta time vmap { ${all.slice(part * AT_ONCE, (part + 1) * AT_ONCE).join(', ')} }`)), towardsOf(rest)]
}

/** What a clause does with the packets that it speaks of. By the connection's first direction, so that the way back is judged by what was asked for. */
function clauseLines(clause: Clause, place: number, { lan, closedAddresses }: Setting): string[] {
  const { effect, what } = clause
  const verdict = effect === 'block' ? `goto k${place}` : effect === 'log' ? `jump l${place}` : `counter name allows${place} goto pass`
  if (what === null) return [verdict]
  const blocks = ([4, 6] as const).flatMap((version) => {
    // nft takes no block beside one that covers it.
    const some = what.blocks.filter(block => block.version === version && !what.blocks.some(other => other.text !== block.text && blockCovers(other, block)))
    return some.length === 0 ? [] : [`${towards(version)} { ${some.map(({ text }) => text).join(', ')} } ${verdict}`]
  })
  // What is in use lives on: sending to an address keeps it.
  const name = namesOf(clause, place, closedAddresses)
  const names = name === null ? [] : VERSIONS.flatMap(({ set, ip, version }) => [
    `iifname "${lan}" ${ip} daddr @${name}${set} update @${name}${set} { ${ip} daddr timeout ${LIVES}s } ${verdict}`, `${towards(version)} @${name}${set} ${verdict}`,
  ])
  return [...blocks, ...names, ...what.services.map(service => `${serviceMatch(service)} ${verdict}`)]
}

const towards = (version: Block['version']) => version === 4 ? 'ct original ip daddr' : 'ct original ip6 daddr'

function serviceMatch({ protocol, ports, towards: block }: Service): string {
  const range = ports.map(({ first, last }) => first === last ? first : `${first}-${last}`).join(', ')
  return [`meta l4proto ${protocol}`, `ct original proto-dst { ${range} }`, ...block ? [`${towards(block.version)} ${block.text}`] : []].join(' ')
}
