import type { Plan, Sender } from '../../../../core/plan/plan.ts'
import { hostElements } from './table-elements.ts'
import { controllerMatches } from './lead.ts'
import { byNetwork, ownNetworks, sendersIn } from './table-networks.ts'
import { MARK, markAs, markOf, numberOf, towardsCourse, VERSIONS, type Setting } from './table-setting.ts'
import { chain, map, set } from './table-text.ts'

/**
 * Returns the match of the owner of a packet, on the way out by its MAC address, on the way back by its
 * mark or IP address.
 */
export function senderChains(plan: Plan, setting: Setting): string[] {
  const named = plan.senders.filter(({ mac }) => mac !== null)
  const unknown = plan.senders.filter(({ mac }) => mac === null)
  const markBy = (sender: Sender) => markOf(numberOf(sender, setting))
  const siblings = new Map<string | null, Sender[]>()
  for (const sender of named) siblings.set(sender.mac, [...(siblings.get(sender.mac) ?? []), sender])
  return [
    // The first packet of a connection, or of one that began before this table. Look-ups elsewhere (RFC
    // 1035), over TLS (RFC 7858) and QUIC (RFC 9250) would go around the resolver.
    chain('fresh', [
      ...(setting.lead ? controllerMatches(setting.lead).map((match) => `${match} return`) : []),
      'meta l4proto { tcp, udp } th dport { 53, 853 } goto cut',
    ]),
    ...named.map((sender) => {
      const elsewhere = siblings.get(sender.mac)!.filter((other) => other !== sender)
      return chain(nameOf(sender, setting), namedLines(sender, markBy(sender), elsewhere.map(markBy)))
    }),
    ...unknown.flatMap((sender) => unknownChains(sender, nameOf(sender, setting), markBy(sender), setting)),
    ...adapterMaps(plan, setting),
    // It only counts what comes back of whose connections; where nobody is known to have an address,
    // `courses` judges.
    map(
      'marks',
      'type mark : verdict',
      named.map((sender) => `${markBy(sender)} : continue`),
      true,
    ),
    map(
      'courses',
      'type mark : verdict',
      [...named, ...unknown].map((sender) => `${markBy(sender)} : ${towardsCourse(sender.course)}`),
    ),
    ...VERSIONS.map(({ set: name, ip, version }) =>
      map(
        `hosts${name}`,
        `typeof oifname . ${ip} daddr : verdict`,
        hostElements(setting.hosts, version, plan),
      ),
    ),
    ...outwardChains(plan, setting),
    // Packets to devices that the policy does not name are counted by IP address.
    chain('strange', [
      ...VERSIONS.map(
        ({ set: name, ip, family }) => `meta nfproto ${family} update @got_${name} { ${ip} daddr }`,
      ),
      // Packets that cannot be counted are judged as if the allowance were used up.
      ...unknown.flatMap((sender) =>
        sender.whenSpent === undefined
          ? []
          : VERSIONS.map(
              ({ set: name, ip }) =>
                `${MARK} == ${markBy(sender)} ${ip} daddr != @got_${name} ${towardsCourse(sender.whenSpent!)}`,
            ),
      ),
    ]),
    chain('inward', [
      'ct state new goto begun',
      // Nobody asked for it.
      'ct state invalid meta l4proto { icmp, icmpv6 } drop',
      `${MARK} vmap @marks`,
      `${MARK} != @marked jump strange`,
      ...VERSIONS.map(({ set: name, ip }) => `oifname . ${ip} daddr vmap @hosts${name}`),
      `${MARK} vmap @courses`,
      'drop',
    ]),
    // A connection from outside passes where the router forwards it to a device on purpose; its answers go
    // the device's own way.
    chain('begun', ['ct status dnat accept', 'drop']),
  ]
}

/** The chain of a sender. */
function nameOf(sender: Sender, setting: Setting): string {
  return `${sender.mac === null ? 'unknown' : 'device'}_${numberOf(sender, setting)}`
}

/**
 * Returns the verdict for packets of an address that the plan names; `elsewhere` = its marks in other
 * networks.
 */
function namedLines({ course }: Sender, mark: string, elsewhere: readonly string[]): string[] {
  if (course === null) return [`${MARK} == @marked accept`, markAs(mark), 'accept']
  const [judged, ours] = [towardsCourse(course), [markAs(mark), towardsCourse(course)]]
  return [
    `${MARK} == ${mark} ${judged}`,
    // Its own connection, begun in another network: from here on it is judged by this one, both ways.
    ...elsewhere.map((other) => `${MARK} == ${other} ${ours.join(' ')}`),
    'jump fresh',
    // A connection of somebody else keeps its mark, and the packet is judged by who sends it.
    `${MARK} == @marked ${judged}`,
    ...ours,
  ]
}

/**
 * Writes the chains for packets of every address that the plan does not name. An address that finds no room
 * in the set that tells them apart is treated as if all allowances were used up: nothing would count for it.
 */
function unknownChains(
  { course, whenSpent }: Sender,
  name: string,
  mark: string,
  { areStrangersSpent }: Setting,
): string[] {
  const lines = (own: number | null) => [
    `${MARK} == ${mark} ${towardsCourse(own)}`,
    'jump fresh',
    `${MARK} == @marked ${towardsCourse(own)}`,
    markAs(mark),
    towardsCourse(own),
  ]
  const isCounted = whenSpent !== undefined
  return [
    ...(isCounted ? [chain(`${name}_spent`, lines(whenSpent))] : []),
    chain(name, [
      'update @unknown { ether saddr }',
      ...(isCounted ? [`ether saddr != @unknown goto ${name}_spent`] : []),
      ...lines(isCounted && areStrangersSpent ? whenSpent : course),
    ]),
  ]
}

/** Writes the sets of the marks and MAC addresses of the policy's devices. */
export function ownerSets(plan: Plan, setting: Setting): string[] {
  const named = plan.senders.filter(({ mac }) => mac !== null)
  return [
    set(
      'marked',
      'type mark',
      named.map((sender) => markOf(numberOf(sender, setting))),
    ),
    set('known', 'type ether_addr', [...new Set(named.map(({ mac }) => mac!))]),
  ]
}

/** The maps from MAC addresses to their chains: of all, and of each network in which some have their own. */
function adapterMaps(plan: Plan, setting: Setting): string[] {
  const adapters = (name: string, named: readonly Sender[]) =>
    map(
      name,
      'type ether_addr : verdict',
      named.map((sender) => `${sender.mac} : goto ${nameOf(sender, setting)}`),
      true,
    )
  return [
    adapters('adapters', sendersIn(plan, null).named),
    ...ownNetworks(plan).map(({ index, named }) => adapters(`adapters_${index}`, named)),
  ]
}

/** Returns the chains for packets of the local network, by sender and, where that matters, by network. */
function outwardChains(plan: Plan, setting: Setting): string[] {
  const towardsAny = (unknown: Sender) => ['ether saddr vmap @adapters', `goto ${nameOf(unknown, setting)}`]
  const rest = towardsAny(sendersIn(plan, null).unknown!)
  const chains = byNetwork('outward', plan, setting, rest, ({ index, unknown }, towardsRest) => [
    `ether saddr vmap @adapters_${index}`,
    ...(unknown ? towardsAny(unknown) : [towardsRest]),
  ])
  return chains.map(([name, lines]) => chain(name, lines))
}
