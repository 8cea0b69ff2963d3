import { outerBlocks, translatingTo, type Block } from '../../../../core/destination/address.ts'
import type { Service } from '../../../../core/destination/service.ts'
import type { Clause, Plan } from '../../../../core/plan/plan.ts'
import { lanOf, LIVES, namesOf, VERSIONS, type Setting } from './table-setting.ts'

/**
 * The chains of a standing: what is sent, by the packet; what comes back, by what the connection asked for,
 * or where it is not tracked by the packet.
 */
export function standingChains(
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
    [`rules_${index}`, [`oifname ${lanOf(setting)} goto answers_${index}`, ...lines('out')]],
  ]
}

/** The way of a packet: sent by a device, or back to it. */
type Way = 'out' | 'back'

/** Returns the statements of a clause for the packets that it covers, on one way. */
function clauseLines(clause: Clause, place: number, way: Way, { closedAddresses }: Setting): string[] {
  const { effect, what } = clause
  let verdict
  if (effect === 'block') verdict = `goto blocked_${place}`
  else if (effect === 'log') verdict = `jump logged_${place}`
  else verdict = `counter name allowed_${place} goto pass`
  if (what === null) return [verdict]
  // nft takes no block beside one that covers it.
  const all = what.sets.flatMap((set) => set.blocks)
  const outer = [
    ...outerBlocks(all),
    ...outerBlocks(all.filter(({ version }) => version === 4).map(translatingTo)),
  ]
  const blocks = ([4, 6] as const).flatMap((version) => {
    const some = outerBlocks(outer.filter((block) => block.version === version))
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
            // An address in use stays: sending to it keeps it.
            const keeps = way === 'out' ? `update @${name}${set} { ${ip} daddr timeout ${LIVES}s } ` : ''
            return `${destination} @${name}${set} ${keeps}${verdict}`
          }),
        )
  return [
    ...blocks,
    ...names,
    ...what.services
      .flatMap(withTranslating)
      .flatMap((service) => serviceMatches(service, way).map((match) => `${match} ${verdict}`)),
  ]
}

/** A service towards addresses of IPv4, with the same towards those that translate to them. */
function withTranslating(service: Service): Service[] {
  const { towards } = service
  return towards?.version === 4 ? [service, { ...service, towards: translatingTo(towards) }] : [service]
}

/** Returns the expressions for the far side of a packet, one for each case on a way. */
function destinations(way: Way, version: Block['version']): string[] {
  const ip = version === 4 ? 'ip' : 'ip6'
  return way === 'out' ? [`${ip} daddr`] : [`ct original ${ip} daddr`, `${UNTRACKED} ${ip} saddr`]
}

/** The packets without a tracked connection, or with a wrong one. */
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
