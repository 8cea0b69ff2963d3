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

/** For how long an address that an allowed name had is let through after it was last asked for or sent to, in seconds. */
export const LIVES = 600

/**
 * What the table is made for: the interface of the local network, the number of each address (1 to 65534), what happens where the kernel's clock is outside the plan, the port of the
 * resolver, and the addresses that were found for the names of each allowing clause, by its id, with the seconds for which they are let through.
 */
export interface Setting {
  readonly lan: string
  readonly numbers: ReadonlyMap<string, number>
  readonly outside: 'open' | 'closed'
  readonly resolver: number
  readonly found: (clause: string) => readonly { readonly address: string, readonly left: number }[]
}

/** Where the addresses go that the names of an allowing clause have, by its place in the plan; `null` where it speaks of no names. */
export function namesOf({ effect, what }: Clause, place: number): string | null {
  return effect === 'allow' && what !== null && what.hosts.size + what.keywords.length > 0 ? `names${place}` : null
}

/**
 * Writes a plan as a text for `nft -f`, which puts it in the place of the table before, whole or not at all. Each address has a chain that marks its connections and goes to
 * its course; a course goes by the kernel's clock to a standing, a standing through its clauses in order. The way back finds the course by the mark. The kernel's clock counts nanoseconds: the end of a
 * range is that very nanosecond, not the second that begins with it.
 */
export function tableText(plan: Plan, { lan, numbers, outside, resolver, found }: Setting): string {
  const out = `iifname "${lan}" oifname != "${lan}"`
  const back = `oifname "${lan}" iifname != "${lan}"`
  const chain = (name: string, lines: readonly string[]) => `chain ${name} {\n${lines.map(line => `${line}\n`).join('')}}`
  const blocking = plan.clauses.flatMap(({ effect }, index) => effect === 'block' ? [index] : [])
  // Look-ups over TLS (RFC 7858) and QUIC (RFC 9250) would go around the resolver.
  const toCourse = (course: number | null) => course === null ? [] : [`meta l4proto { tcp, udp } th dport 853 goto cut`, `goto t${course}`]
  const adapters = plan.adapters.map(one => ({ ...one, number: numbers.get(one.mac)! }))
  const map = (name: string, type: string, elements: readonly string[]) => `map ${name} { type ${type} : verdict\n${elements.length > 0 ? `elements = { ${elements.join(',\n')} }\n` : ''}}`
  return [
    `table ${TABLE}\ndelete table ${TABLE}\ntable ${TABLE} {`,
    'set unknown { type ether_addr; flags dynamic,timeout; timeout 1h; size 4096; }',
    ...tried('passed'),
    ...plan.clauses.flatMap((clause, index) => {
      const name = namesOf(clause, index)
      if (name === null) return []
      const all = found(clause.id)
      return ([['v4', 'ipv4_addr', false], ['v6', 'ipv6_addr', true]] as const).map(([version, type, six]) => {
        const elements = all.filter(({ address }) => address.includes(':') === six).map(({ address, left }) => `${address} timeout ${left}s`)
        return `set ${name}${version} { type ${type}; flags dynamic,timeout; timeout ${LIVES}s; size 65535;\n${elements.length > 0 ? `elements = { ${elements.join(', ')} }\n` : ''}}`
      })
    }),
    ...blocking.flatMap(index => [`set drops${index} { type ether_addr; flags dynamic; size 65535; counter; }`, ...tried(`tries${index}`)]),
    chain('cut', [`iifname "${lan}" meta l4proto tcp reject with tcp reset`, `iifname "${lan}" reject with icmpx admin-prohibited`, 'drop']),
    chain('pass', [...remember('passed', `iifname "${lan}" ct state new`), 'accept']),
    ...blocking.map(index => chain(`k${index}`, [`iifname "${lan}" update @drops${index} { ether saddr }`, ...remember(`tries${index}`, `iifname "${lan}"`), 'goto cut'])),
    ...plan.standings.map((clauses, index) => chain(`s${index}`, [...clauses.flatMap(place => clauseLines(plan.clauses[place]!, place, lan)), 'goto pass'])),
    ...plan.courses.map((stretches, index) => chain(`t${index}`, [
      `meta time < ${plan.from} ${outside === 'closed' ? 'goto cut' : 'accept'}`, `meta time > ${plan.until} ${outside === 'closed' ? 'goto cut' : 'accept'}`,
      ...courseLines(stretches),
    ])),
    ...adapters.map(({ number, course }) => chain(`d${number}`, [markAs(number), 'counter', ...toCourse(course)])),
    chain('newcomer', ['update @unknown { ether saddr }', markAs(NEWCOMER), ...toCourse(plan.newcomers)]),
    map('adapters', 'ether_addr', adapters.map(({ mac, number }) => `${mac} : goto d${number}`)),
    map('back', 'mark', [...adapters.flatMap(({ number, course }) => course === null ? [] : [`${markOf(number)} : goto t${course}`]), `${markOf(NEWCOMER)} : goto t${plan.newcomers}`]),
    chain('lookups', ['type nat hook prerouting priority dstnat - 5; policy accept;', `iifname "${lan}" meta l4proto { tcp, udp } th dport 53 redirect to :${resolver}`]),
    // The resolver is for the local network alone: elsewhere it would answer for whoever makes up a sender.
    chain('guard', ['type filter hook input priority -5; policy accept;', `iifname != { "${lan}", "lo" } meta l4proto { tcp, udp } th dport ${resolver} drop`]),
    chain('forward', [
      'type filter hook forward priority -5; policy accept;',
      `${out} ether saddr vmap @adapters`, `${out} goto newcomer`,
      // What is begun from outside is nobody's and would pass every course by; what the router forwards to a device on purpose is let in, and its answers go the device's own way.
      `${back} ct state new ct status dnat accept`, `${back} ct state new drop`, `${back} ct mark and 0xffff0000 vmap @back`,
    ]),
    '}', '',
  ].join('\n')
}

const markOf = (number: number) => `0x${number.toString(16).padStart(4, '0')}0000`
const markAs = (number: number) => `ct mark set ct mark and 0x0000ffff or ${markOf(number)}`

/** The sets in which the kernel remembers who tried what, by version of IP. */
const tried = (name: string) => ([['v4', 'ip'], ['v6', 'ip6']] as const).map(([version, ip]) =>
  `set ${name}${version} { typeof ether saddr . ${ip} daddr . meta l4proto . th dport; flags dynamic,timeout; timeout ${REMEMBERED}s; size 8192; }`)
const remember = (name: string, when: string) => ([['v4', 'ip', 'ipv4'], ['v6', 'ip6', 'ipv6']] as const).map(([version, ip, family]) =>
  `${when} meta nfproto ${family} meta l4proto { tcp, udp } update @${name}${version} { ether saddr . ${ip} daddr . meta l4proto . th dport }`)

function courseLines(stretches: readonly Stretch[]): string[] {
  const byStanding = new Map<number, string[]>()
  for (const { from, until, standing } of stretches) {
    const spans = byStanding.get(standing) ?? byStanding.set(standing, []).get(standing)!
    spans.push(`${from}-${until}`)
  }
  return [...byStanding].flatMap(([standing, spans]) => Array.from({ length: Math.ceil(spans.length / AT_ONCE) }, (_, part) =>
    `meta time { ${spans.slice(part * AT_ONCE, (part + 1) * AT_ONCE).join(', ')} } goto s${standing}`))
}

/** What a clause does with the packets that it speaks of. By the connection's first direction, so that the way back is judged by what was asked for. */
function clauseLines(clause: Clause, place: number, lan: string): string[] {
  const { effect, what } = clause
  const verdict = effect === 'block' ? `goto k${place}` : 'goto pass'
  if (what === null) return [verdict]
  const blocks = ([4, 6] as const).flatMap((version) => {
    // nft takes no block beside one that covers it.
    const some = what.blocks.filter(block => block.version === version && !what.blocks.some(other => other.text !== block.text && blockCovers(other, block)))
    return some.length === 0 ? [] : [`${towards(version)} { ${some.map(({ text }) => text).join(', ')} } ${verdict}`]
  })
  // What is in use lives on: sending to an address keeps it.
  const set = namesOf(clause, place)
  const names = set === null ? [] : ([['v4', 'ip', 4], ['v6', 'ip6', 6]] as const).flatMap(([family, ip, version]) => [
    `iifname "${lan}" ${ip} daddr @${set}${family} update @${set}${family} { ${ip} daddr timeout ${LIVES}s } goto pass`, `${towards(version)} @${set}${family} goto pass`,
  ])
  return [...blocks, ...names, ...what.services.map(service => `${serviceMatch(service)} ${verdict}`)]
}

const towards = (version: Block['version']) => version === 4 ? 'ct original ip daddr' : 'ct original ip6 daddr'

function serviceMatch({ protocol, ports, towards: block }: Service): string {
  const range = ports.map(({ first, last }) => first === last ? first : `${first}-${last}`).join(', ')
  return [`meta l4proto ${protocol}`, `ct original proto-dst { ${range} }`, ...block ? [`${towards(block.version)} ${block.text}`] : []].join(' ')
}
