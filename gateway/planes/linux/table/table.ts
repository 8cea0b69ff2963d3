import type { Plan } from '../../../../core/plan/plan.ts'
import { PAGE_ADDRESS } from '../../../pages/device-pages.ts'
import { standingChains } from './table-clauses.ts'
import { leadLines, lookupChains } from './table-lookups.ts'
import { courseLines } from './table-schedule.ts'
import { ownerSets, senderChains } from './table-senders.ts'
import {
  keyOf,
  lanOf,
  LIVES,
  MARK,
  MOST_NAMED,
  MOST_UNKNOWN,
  namesOf,
  remember,
  REMEMBERED,
  TABLE,
  VERSIONS,
  type Setting,
} from './table-setting.ts'
import { chain, set } from './table-text.ts'

/**
 * Writes a plan as a text for `nft -f`, which puts it in the place of the table before, whole or not at all.
 *
 * A packet of a device is judged by its MAC address and the network that it comes from, whatever its IP address
 * and its connection say: `adapters` leads to a chain that marks the connection and goes to the course of the
 * sender; a course goes by the kernel's clock to a standing, a standing through its clauses in order. The way
 * back is judged by who has the IP address now, or where that is not known by the connection's mark; what
 * can't be told is dropped. Look-ups are led to a port of their own for each sender, so that who asks is who
 * sends. What is counted stands in few sets, by the place of the clause, since the kernel makes room for
 * each.
 */
export function tableText(plan: Plan, setting: Setting): string {
  return [
    `table ${TABLE}\ndelete table ${TABLE}\ntable ${TABLE} {`,
    ...memorySets(),
    ...ownerSets(plan, setting),
    ...clauseSets(plan, setting),
    ...endChains(setting),
    ...clauseChains(plan, setting),
    ...senderChains(plan, setting),
    ...lookupChains(plan, setting),
    forwardChain(setting),
    '}',
    '',
  ].join('\n')
}

/**
 * The sets in which the kernel counts and remembers. Those of unknown addresses, which anybody can make up,
 * are apart from those of the policy's; none that is full decides anything.
 */
function memorySets(): string[] {
  const remembering = (key: string, size: number) =>
    `typeof ${key}; flags dynamic,timeout; timeout ${REMEMBERED}s; size ${size};`
  const counting = (key: string, size: number) =>
    `${key}; flags dynamic,timeout; timeout 1h; size ${size}; counter;`
  return [
    `set unknown { ${counting('type ether_addr', MOST_UNKNOWN)} }`,
    'set refused { typeof ct mark; flags dynamic; size 65535; counter; }',
    `set drops { ${counting('typeof ether saddr . meta mark', 65_535)} }`,
    `set stray_drops { ${counting('typeof ether saddr . meta mark', MOST_UNKNOWN)} }`,
    ...VERSIONS.flatMap(({ set, ip, type }) => [
      `set got_${set} { ${counting(`type ${type}`, MOST_UNKNOWN)} }`,
      `set kept_${set} { ${counting(`type ${type}`, MOST_UNKNOWN)} }`,
      `set passed${set} { ${remembering(keyOf(ip), 8192)} }`,
      `set stray_passed${set} { ${remembering(keyOf(ip), 1024)} }`,
      `set tries${set} { ${remembering(`${keyOf(ip)} . meta mark`, 8192)} }`,
      `set stray_tries${set} { ${remembering(`${keyOf(ip)} . meta mark`, 1024)} }`,
    ]),
  ]
}

/** The counters of clauses that allow, and the sets of the addresses that names of a clause have. */
function clauseSets({ clauses }: Plan, { closedAddresses }: Setting): string[] {
  const counters = clauses.flatMap(({ effect }, place) =>
    effect === 'allow' ? [`counter allowed_${place} {}`] : [],
  )
  const sets = clauses.flatMap((clause, place) => {
    const name = namesOf(clause, place, closedAddresses)
    if (name === null) return []
    return VERSIONS.map(({ set: version, type }) =>
      set(
        `${name}${version}`,
        `type ${type}; flags dynamic,timeout; timeout ${LIVES}s; size ${MOST_NAMED}`,
        [],
      ),
    )
  })
  return [...counters, ...sets]
}

/** Returns the chains in which packets end. */
function endChains(setting: Setting): string[] {
  const lan = lanOf(setting)
  return [
    chain('cut', [
      `iifname ${lan} meta l4proto tcp reject with tcp reset`,
      `iifname ${lan} reject with icmpx admin-prohibited`,
      'drop',
    ]),
    chain('pass_unknown', [...VERSIONS.map((one) => remember('stray_passed', one)), 'accept']),
    // A check once for each connection costs its other packets nothing.
    chain('pass', [
      'ct state != new accept',
      'ether saddr != @known goto pass_unknown',
      ...VERSIONS.map((one) => remember('passed', one)),
      'accept',
    ]),
  ]
}

/** Returns the chains of the clauses, their order and their times. */
function clauseChains(plan: Plan, setting: Setting): string[] {
  const { outside } = setting
  const lan = lanOf(setting)
  const sent = (place: number, stray: '' | 'stray_') => [
    `update @${stray}drops { ether saddr . ${place} }`,
    ...VERSIONS.map((one) => remember(`${stray}tries`, one, place)),
    'return',
  ]
  // A chain for what is sent, left at once by what comes back.
  const countingChains = (place: number) => [
    chain(`stray_${place}`, sent(place, 'stray_')),
    chain(`sent_${place}`, [`ether saddr != @known goto stray_${place}`, ...sent(place, '')]),
  ]
  const refusing = [
    `oifname ${lan} ${MARK} == @marked update @refused { ${MARK} }`,
    ...VERSIONS.map(
      ({ set, ip, family }) =>
        `oifname ${lan} ${MARK} != @marked meta nfproto ${family} update @kept_${set} { ${ip} daddr }`,
    ),
  ]
  const counting = (place: number) => [`iifname ${lan} jump sent_${place}`]
  const withEffect = (effect: string) =>
    plan.clauses.flatMap((clause, place) => (clause.effect === effect ? [place] : []))
  return [
    ...withEffect('block').flatMap((place) => [
      ...countingChains(place),
      chain(`blocked_${place}`, [...counting(place), ...refusing, 'goto cut']),
    ]),
    // A packet that is only logged goes on to the next clause.
    ...withEffect('log').flatMap((place) => [
      ...countingChains(place),
      chain(`logged_${place}`, counting(place)),
    ]),
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

/** Returns the chain in which forwarded packets begin. */
function forwardChain(setting: Setting): string {
  const lan = lanOf(setting)
  // Packets within the local network are neither blocked nor counted.
  return chain('forward', [
    'type filter hook forward priority -5; policy accept;',
    ...leadLines(setting),
    `iifname ${lan} oifname ${lan} accept`,
    ...(setting.page === null ? [] : [`ip daddr ${PAGE_ADDRESS} goto cut`]),
    `iifname ${lan} goto outward`,
    `oifname ${lan} goto inward`,
  ])
}
