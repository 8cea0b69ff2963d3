import type { Plan } from '../../core/plan/plan.ts'
import { PAGE_ADDRESS } from '../pages/device-pages.ts'
import { standingChains } from './table-clauses.ts'
import { leadLines, lookupChains } from './table-lookups.ts'
import { courseLines } from './table-schedule.ts'
import { senderChains } from './table-senders.ts'
import {
  keyOf,
  lanOf,
  LIVES,
  MARK_BITS,
  namesOf,
  remember,
  REMEMBERED,
  TABLE,
  VERSIONS,
  versionOf,
  type Setting,
} from './table-setting.ts'
import { chain, set } from './table-text.ts'

/**
 * Writes a plan as a text for `nft -f`, which puts it in the place of the table before, whole or not at all.
 *
 * What a device sends is judged by its MAC address and the network that it comes from, whatever its IP address
 * and its connection say: `adapters` leads to a chain that marks the connection and goes to the course of the
 * sender; a course goes by the kernel's clock to a standing, a standing through its clauses in order. The way
 * back is judged by the mark, or where there is none (what began before the table, what the kernel does not
 * track or finds invalid) by whose the IP address is; what can't be told is dropped. Look-ups are led to a port
 * of their own for each sender, so that who asks is who sends. What is counted stands in few sets, by the place
 * of the clause, since the kernel makes room for each.
 */
export function tableText(plan: Plan, setting: Setting): string {
  return [
    `table ${TABLE}\ndelete table ${TABLE}\ntable ${TABLE} {`,
    ...memorySets(),
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
    return VERSIONS.map((version) => {
      const own = all
        .filter(({ address }) => versionOf(address) === version.version)
        .map(({ address, left }) => `${address} timeout ${left}s`)
      return set(
        `${name}${version.set}`,
        `type ${version.type}; flags dynamic,timeout; timeout ${LIVES}s; size 65535`,
        own,
      )
    })
  })
  return [...counters, ...sets]
}

/** Where packets end. */
function endChains(setting: Setting): string[] {
  const lan = lanOf(setting)
  return [
    chain('cut', [
      `iifname ${lan} meta l4proto tcp reject with tcp reset`,
      `iifname ${lan} reject with icmpx admin-prohibited`,
      'drop',
    ]),
    // What is looked at once for each connection costs its other packets nothing.
    chain('pass', ['ct state != new accept', ...VERSIONS.map((one) => remember('passed', one)), 'accept']),
  ]
}

/** What each clause does, in which order they are asked, and when. */
function clauseChains(plan: Plan, setting: Setting): string[] {
  const { outside } = setting
  const lan = lanOf(setting)
  const counting = (place: number) => [
    `iifname ${lan} update @drops { ether saddr . ${place} }`,
    ...VERSIONS.map((one) => `iifname ${lan} ${remember('tries', one, place)}`),
  ]
  const refusing = `oifname ${lan} update @refused { ct mark and ${MARK_BITS} }`
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

/** Where packets begin that the router forwards. */
function forwardChain(setting: Setting): string {
  const lan = lanOf(setting)
  // What stays within the local network is nobody's to cut or to count.
  return chain('forward', [
    'type filter hook forward priority -5; policy accept;',
    ...leadLines(setting),
    `iifname ${lan} oifname ${lan} accept`,
    ...(setting.page === null ? [] : [`ip daddr ${PAGE_ADDRESS} goto cut`]),
    `iifname ${lan} goto outward`,
    `oifname ${lan} goto inward`,
  ])
}
