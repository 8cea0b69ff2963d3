import type { Lead } from './lead-setting.ts'
import { networkOf } from '../../../../core/decision/subject.ts'
import { senderKey, type Clause, type Plan, type Sender } from '../../../../core/plan/plan.ts'

/**
 * The unknown addresses that the kernel tells apart; one without room counts as having used all allowances
 * up. And how many tries and drops of theirs it remembers, apart from those of devices of the policy.
 */
export const MOST_UNKNOWN = 4096
/** The most addresses of a set of names. */
export const MOST_NAMED = 65_535

/** The table that is ours; no other is ever touched. */
export const TABLE = 'inet kairostat'
/** The seconds for which the kernel remembers a try. */
export const REMEMBERED = 600
/**
 * The upper half of a connection's mark says whose it is; the lower belongs to others. The highest number
 * stands for every newcomer.
 */
export const NEWCOMER = 0xffff
/** Those bits, as nft writes them. */
export const MARK_BITS = '0xffff0000'
/** The part of a connection's mark that names its sender. */
export const MARK = `ct mark and ${MARK_BITS}`

/** For how long an address counts that a name had after it was last asked for or sent to, in seconds. */
export const LIVES = 600

/** The setting of the table. */
export interface Setting {
  /** The interfaces of the local network, one or more. */
  readonly lans: readonly string[]
  /** The number of each sender, by its key, 1 to 65534. */
  readonly numbers: ReadonlyMap<string, number>
  /** The fate of packets where the kernel's clock is outside the plan. */
  readonly outside: 'open' | 'closed'
  /** The port on which the look-ups of each sender are answered, by its key. */
  readonly ports: ReadonlyMap<string, number>
  /** The port of the page; `null` = there is none. */
  readonly page: number | null
  /** The way by which look-ups are led to another machine; `null` = this one answers them. */
  readonly lead: Lead | null
  /** Whether whoever the plan does not name counts as having used up all allowances. */
  readonly areStrangersSpent: boolean
  /** The set whose name says which machine drives the router. */
  readonly driver: string
  /** Whether blocked names block their addresses. */
  readonly closedAddresses: boolean
  /** The time of writing, in seconds by the plan's clock. */
  readonly now: number
  /** By how many seconds the plan's clock is ahead of the kernel's: 0, but in tests. */
  readonly ahead: number
  /** The map from IP addresses of the local network to their owners, by the neighbour table. */
  readonly hosts: readonly Host[]
}

/**
 * An IP address of the local network, on which interface, and the MAC address (lower case, colons) that has
 * it.
 */
export interface Host {
  readonly address: string
  readonly mac: string
  readonly interface: string
}

/** The two versions of IP, as nft and our sets call them. */
export const VERSIONS = [
  { set: 'v4', ip: 'ip', family: 'ipv4', type: 'ipv4_addr', version: 4 },
  { set: 'v6', ip: 'ip6', family: 'ipv6', type: 'ipv6_addr', version: 6 },
] as const
/** The version of IP of an address in its text. */
export const versionOf = (address: string): 4 | 6 => (address.includes(':') ? 6 : 4)

/**
 * Returns the set for the addresses of the names of a clause, by its place in the plan; `null` where it covers
 * no names, or does not go by their addresses: look-ups are logged by the resolver, and closed there.
 */
export function namesOf({ effect, what }: Clause, place: number, closedAddresses: boolean): string | null {
  return (effect === 'allow' || (effect === 'block' && closedAddresses)) &&
    what !== null &&
    (what.sets.some(({ hasNames }) => hasNames) || what.keywords.length > 0)
    ? `names${place}`
    : null
}

/** The place in the plan of the clause whose names a set of the table is for; `null` = it is another set. */
export function namesSetOf(set: string): number | null {
  const match = /^names(\d+)v[46]$/.exec(set)
  return match && Number(match[1])
}

/** Returns the chain for packets of a device with this course; `null` = it is never restricted. */
export const towardsCourse = (course: number | null) =>
  course === null ? 'accept' : `goto schedule_${course}`

/** The course of whoever has an IP address, by their MAC address and the network in which it is. */
export function courseOfHost({ senders, networks }: Plan): (host: Host) => number | null {
  const courses = new Map(senders.map((sender) => [senderKey(sender), sender.course]))
  return ({ mac, address, interface: name }) => {
    const network = networkOf(networks, { interface: name, addresses: [address] })
    const owner = courses.has(mac) ? mac : null
    const own = senderKey({ mac: owner, network })
    return courses.get(courses.has(own) ? own : senderKey({ mac: owner, network: null }))!
  }
}

/** The number of a sender; of whoever the plan does not name, in no network, it is `NEWCOMER`. */
export function numberOf(sender: Sender, { numbers }: Pick<Setting, 'numbers'>): number {
  return numbers.get(senderKey(sender)) ?? NEWCOMER
}

/** The interfaces of the local network, as nft matches one of them. */
export const lanOf = ({ lans }: Pick<Setting, 'lans'>) => interfacesText(lans)
/** Interfaces as nft matches one of them. */
export const interfacesText = (names: readonly string[]) => {
  const quoted = names.map((name) => `"${name}"`).join(', ')
  return names.length === 1 ? quoted : `{ ${quoted} }`
}

/** The upper half of a connection's mark for a number, as nft writes it. */
export const markOf = (number: number) => `0x${number.toString(16).padStart(4, '0')}0000`
/** The statement that gives a connection a mark in the upper half, and leaves the lower. */
export const markAs = (mark: string) => `ct mark set ct mark and 0x0000ffff or ${mark}`

/**
 * The tries that the kernel remembers: sender, destination, and the clause that dropped it, in a set of its own
 * for each version of IP.
 */
export const keyOf = (ip: string) => `ether saddr . ${ip} daddr . meta l4proto . th dport`
/** The statement that remembers a try in one of these sets. */
export const remember = (name: string, { set, ip, family }: (typeof VERSIONS)[number], place?: number) =>
  `meta nfproto ${family} meta l4proto { tcp, udp } update @${name}${set} { ${keyOf(ip)}${place === undefined ? '' : ` . ${place}`} }`
