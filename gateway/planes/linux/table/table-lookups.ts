import { senderKey, type Plan, type Sender } from '../../../../core/plan/plan.ts'
import type { Lead } from './lead-setting.ts'
import { ALIVE, controllerMatches, leadVersions } from './lead.ts'
import { byNetwork, ownNetworks, sendersIn } from './table-networks.ts'
import { PAGE_ADDRESS } from '../../../pages/device-pages.ts'
import { lanOf, versionOf, type Setting } from './table-setting.ts'
import { chain, map, set } from './table-text.ts'

/** Returns the match of packets to a port, over UDP or TCP. */
const TO_PORT = 'meta l4proto { tcp, udp } th dport'

/** Returns the chains that lead look-ups to the resolver, each to the port of its client. */
export function lookupChains(plan: Plan, setting: Setting): string[] {
  return [
    ...portSets('', sendersIn(plan, null).named, setting),
    ...ownNetworks(plan).flatMap(({ index, named }) => portSets(`_${index}`, named, setting)),
    set('doors', 'type inet_service', [...new Set(setting.ports.values())].map(String)),
    ...askedChains(plan, setting),
    ...doorChains(plan, setting),
    ...(setting.lead === null ? ownChains(setting) : leadChains(setting, setting.lead)),
  ]
}

/** Look-ups that this machine answers. */
function ownChains(setting: Setting): string[] {
  const { page, lans } = setting
  const lan = lanOf(setting)
  const toPage = `iifname ${lan} ip daddr ${PAGE_ADDRESS} tcp dport 80 redirect to :${page}`
  const pageGuard = `iifname != ${lanOf({ lans: [...lans, 'lo'] })} tcp dport ${page} drop`
  return [
    chain('lookups', [
      LOOKUPS_HOOK,
      `iifname ${lan} ${TO_PORT} 53 goto asked`,
      ...(page === null ? [] : [toPage]),
    ]),
    chain('guard', [
      GUARD_HOOK,
      `iifname ${lan} ${TO_PORT} @doors goto door`,
      `${TO_PORT} @doors drop`,
      // A look-up that was not led there would be answered by another resolver of this machine.
      `iifname ${lan} ${TO_PORT} 53 drop`,
      ...(page === null ? [] : [pageGuard]),
    ]),
  ]
}

/**
 * Look-ups that another machine answers, as long as it says that it is there. It is shown who asks by another
 * prefix, so that what it answers comes back through the router.
 */
function leadChains(setting: Setting, lead: Lead): string[] {
  const { to, prefixes, alone } = lead
  const { page } = setting
  const lan = lanOf(setting)
  const isLed = `iifname ${lan} meta l4proto @alive`
  // The page's address is of IPv4.
  const toPage = `${isLed} ip daddr ${PAGE_ADDRESS} tcp dport 80 dnat ip to ${to[4]}:${page}`
  const versions = leadVersions(to)
  return [
    set(setting.driver, 'type inet_proto', ['tcp']),
    set(
      'alive',
      'type inet_proto; flags timeout',
      ['tcp', 'udp'].map((one) => `${one} timeout ${ALIVE}s`),
    ),
    chain('lookups', [
      LOOKUPS_HOOK,
      // Its own look-ups would come back to it; what only has its IP address is refused further on.
      ...versions.map(({ ip, address }) => `${ip} saddr ${address} accept`),
      `${isLed} th dport 53 goto asked`,
      ...(page === null || to[4] === undefined ? [] : [toPage]),
    ]),
    chain('shown', [
      'type nat hook postrouting priority srcnat - 5; policy accept;',
      ...versions.map(({ ip, address, version }) => {
        const shown = prefixes
          .filter(({ own }) => own.version === version)
          .map((prefix) => `${prefix.own.text} : ${prefix.shown.text}`)
        return `oifname ${lan} ${ip} daddr ${address} ct status dnat snat ${ip} prefix to ${ip} saddr map { ${shown.join(', ')} }`
      }),
    ]),
    chain('guard', [
      GUARD_HOOK,
      ...controllerMatches(lead).map((match) => `${match} accept`),
      // A look-up that cannot be led is refused at once, so that the client asks by the other version of IP.
      `${isLed} th dport 53 goto cut`,
      ...(alone === 'closed' ? [`iifname ${lan} ${TO_PORT} 53 goto cut`] : []),
    ]),
  ]
}

/** Returns the chains for packets between the local network and the machine that answers look-ups. */
export function leadLines({ lead, ...setting }: Setting): string[] {
  if (lead === null) return []
  const lan = lanOf(setting)
  return leadVersions(lead.to).flatMap(({ ip, address, version }) => [
    `iifname ${lan} ${ip} daddr ${address} ${TO_PORT} @doors goto door`,
    ...lead.upstreams
      .filter(({ host }) => versionOf(host) === version)
      .flatMap(({ host, port }) => [
        ...controllerMatches(lead, version).map(
          (match) => `iifname ${lan} ${match} ${ip} daddr ${host} ${TO_PORT} ${port} accept`,
        ),
        `oifname ${lan} ${ip} daddr ${address} ${ip} saddr ${host} meta l4proto { tcp, udp } th sport ${port} accept`,
      ]),
  ])
}

const LOOKUPS_HOOK = 'type nat hook prerouting priority dstnat - 5; policy accept;'
const GUARD_HOOK = 'type filter hook input priority -5; policy accept;'

const portOf = (sender: Sender, { ports }: Setting) => ports.get(senderKey(sender))!

/** Returns the map of clients to ports: look-ups are led by it, and only they are let in. */
function portSets(suffix: string, named: readonly Sender[], setting: Setting): string[] {
  const elements = (separator: string) =>
    named.map((sender) => `${sender.mac} ${separator} ${portOf(sender, setting)}`)
  return [
    map(`resolvers${suffix}`, 'type ether_addr : inet_service', elements(':')),
    set(`askers${suffix}`, 'type ether_addr . inet_service', elements('.')),
    set(
      `answered${suffix}`,
      'type ether_addr',
      named.map(({ mac }) => mac!),
    ),
  ]
}

/** Returns the destination of a look-up. */
function askedChains(plan: Plan, setting: Setting): string[] {
  const { lead } = setting
  const towards = (port: number | string): string[] =>
    lead === null
      ? [`meta l4proto { tcp, udp } redirect to :${port}`]
      : leadVersions(lead.to).map(({ ip, family, version, address }) => {
          const target = version === 4 ? address : `[${address}]`
          return `meta nfproto ${family} meta l4proto { tcp, udp } dnat ${ip} to ${target} : ${port}`
        })
  const towardsAny = (unknown: Sender) => [
    ...towards('ether saddr map @resolvers'),
    ...towards(portOf(unknown, setting)),
  ]
  const rest = towardsAny(sendersIn(plan, null).unknown!)
  const chains = byNetwork('asked', plan, setting, rest, ({ index, unknown }, towardsRest) => [
    ...towards(`ether saddr map @resolvers_${index}`),
    ...(unknown ? towardsAny(unknown) : [towardsRest]),
  ])
  return chains.map(([name, lines]) => chain(name, lines))
}

/**
 * A port answers whose it is: what was led there, and sent by them, whatever an earlier connection says.
 * Nothing else reaches it.
 */
function doorChains(plan: Plan, setting: Setting): string[] {
  const led = 'ct status dnat ether saddr'
  const any = (unknown: Sender) => [
    `${led} . th dport @askers accept`,
    `${led} != @answered th dport ${portOf(unknown, setting)} accept`,
    'drop',
  ]
  const rest = any(sendersIn(plan, null).unknown!)
  const chains = byNetwork('door', plan, setting, rest, ({ index, unknown }, towardsRest) => [
    `${led} . th dport @askers_${index} accept`,
    `ether saddr @answered_${index} drop`,
    ...(unknown ? any(unknown) : [towardsRest]),
  ])
  return chains.map(([name, lines]) => chain(name, lines))
}
