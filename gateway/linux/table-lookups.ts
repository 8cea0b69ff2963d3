import { senderKey, type Plan, type Sender } from '../../core/plan/plan.ts'
import { byNetwork, ownNetworks, sendersIn } from './table-networks.ts'
import { lanOf, PAGE_ADDRESS, type Setting } from './table-setting.ts'
import { chain, map, set } from './table-text.ts'

/** What goes to a port, over UDP or TCP. */
const TO_PORT = 'meta l4proto { tcp, udp } th dport'

/** How look-ups are led to the resolver, each to the port of who asks. */
export function lookupChains(plan: Plan, setting: Setting): string[] {
  const { ports, page, lans } = setting
  const lan = lanOf(setting)
  const toPage = `iifname ${lan} ip daddr ${PAGE_ADDRESS} tcp dport 80 redirect to :${page}`
  const pageGuard = `iifname != ${lanOf({ lans: [...lans, 'lo'] })} tcp dport ${page} drop`
  return [
    ...portSets('', sendersIn(plan, null).named, setting),
    ...ownNetworks(plan).flatMap(({ index, named }) => portSets(`_${index}`, named, setting)),
    set('doors', 'type inet_service', [...new Set(ports.values())].map(String)),
    ...askedChains(plan, setting),
    ...doorChains(plan, setting),
    chain('lookups', [
      'type nat hook prerouting priority dstnat - 5; policy accept;',
      `iifname ${lan} ${TO_PORT} 53 goto asked`,
      ...(page === null ? [] : [toPage]),
    ]),
    chain('guard', [
      'type filter hook input priority -5; policy accept;',
      `iifname ${lan} ${TO_PORT} @doors goto door`,
      `${TO_PORT} @doors drop`,
      // What was not led there would be answered by another resolver of this machine.
      `iifname ${lan} ${TO_PORT} 53 drop`,
      ...(page === null ? [] : [pageGuard]),
    ]),
  ]
}

const portOf = (sender: Sender, { ports }: Setting) => ports.get(senderKey(sender))!

/** Who is answered on which port: to lead look-ups there, and to let in only those. */
function portSets(suffix: string, named: readonly Sender[], setting: Setting): string[] {
  const elements = (separator: string) =>
    named.map((sender) => `${sender.mac} ${separator} ${portOf(sender, setting)}`)
  return [
    map(`resolvers${suffix}`, 'type ether_addr : inet_service', elements(':')),
    set(`askers${suffix}`, 'type ether_addr . inet_service', elements('.')),
    set(
      `known${suffix}`,
      'type ether_addr',
      named.map(({ mac }) => mac!),
    ),
  ]
}

/** Where a look-up is led to. */
function askedChains(plan: Plan, setting: Setting): string[] {
  const towards = (port: number | string) => `meta l4proto { tcp, udp } redirect to :${port}`
  const towardsAny = (unknown: Sender) => [
    towards('ether saddr map @resolvers'),
    towards(portOf(unknown, setting)),
  ]
  const rest = towardsAny(sendersIn(plan, null).unknown!)
  const chains = byNetwork('asked', plan, setting, rest, ({ index, unknown }, towardsRest) => [
    towards(`ether saddr map @resolvers_${index}`),
    ...(unknown ? towardsAny(unknown) : [towardsRest]),
  ])
  return chains.map(([name, lines]) => chain(name, lines))
}

/**
 * A port answers whose it is: what was led there, and sent by them, whatever an earlier connection says. Nothing
 * else reaches it.
 */
function doorChains(plan: Plan, setting: Setting): string[] {
  const led = 'ct status dnat ether saddr'
  const any = (unknown: Sender) => [
    `${led} . th dport @askers accept`,
    `${led} != @known th dport ${portOf(unknown, setting)} accept`,
    'drop',
  ]
  const rest = any(sendersIn(plan, null).unknown!)
  const chains = byNetwork('door', plan, setting, rest, ({ index, unknown }, towardsRest) => [
    `${led} . th dport @askers_${index} accept`,
    `ether saddr @known_${index} drop`,
    ...(unknown ? any(unknown) : [towardsRest]),
  ])
  return chains.map(([name, lines]) => chain(name, lines))
}
