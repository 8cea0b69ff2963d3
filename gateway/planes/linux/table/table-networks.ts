import { outerBlocks, readBlock } from '../../../../core/destination/address.ts'
import type { Plan, Sender } from '../../../../core/plan/plan.ts'
import type { Network } from '../../../../core/policy/types.ts'
import { interfacesText, lanOf, VERSIONS, type Setting } from './table-setting.ts'

/**
 * The senders in a network: the addresses that the plan names, and whoever it does not where those have a
 * course.
 */
export interface SendersThere {
  readonly named: readonly Sender[]
  readonly unknown: Sender | undefined
}

/** The senders with a course of their own in a network; of `null`, all as they are in none. */
export function sendersIn({ senders }: Pick<Plan, 'senders'>, id: string | null): SendersThere {
  const there = senders.filter(({ network }) => network === id)
  return {
    named: there.filter(({ mac }) => mac !== null),
    unknown: there.find(({ mac }) => mac === null),
  }
}

/** The networks in which some senders have a course of their own, with their places in the plan. */
export function ownNetworks(plan: Pick<Plan, 'senders' | 'networks'>): (SendersThere & { index: number })[] {
  return plan.networks.flatMap(({ id }, index) => {
    const there = sendersIn(plan, id)
    return there.unknown || there.named.length > 0 ? [{ ...there, index }] : []
  })
}

/**
 * A chain that parts what comes from the local network by the first network that it comes from, and those that
 * it leads to.
 *
 * @param rest the lines of all who are treated where they are as in no network
 * @param own the lines of a network in which some are not; they end with a verdict or go on to the rest
 * @returns the chains with their lines, the one of that name last
 */
export function byNetwork(
  name: string,
  plan: Pick<Plan, 'senders' | 'networks'>,
  setting: Pick<Setting, 'lans'>,
  rest: readonly string[],
  own: (there: SendersThere & { index: number }, towardsRest: string) => readonly string[],
): [name: string, lines: readonly string[]][] {
  if (plan.networks.length === 0) return [[name, rest]]
  const towardsRest = `goto ${name}_rest`
  const all = ownNetworks(plan)
  const matches = plan.networks.flatMap((network, index) => {
    const towards = all.some((one) => one.index === index) ? `goto ${name}_${index}` : towardsRest
    return matchesOf(network, setting).map((match) => `${match} ${towards}`)
  })
  return [
    [`${name}_rest`, rest],
    ...all.map((there): [string, readonly string[]] => [`${name}_${there.index}`, own(there, towardsRest)]),
    [name, [...matches, towardsRest]],
  ]
}

/**
 * Returns the match of packets from a network, one for each case; none where it cannot come from
 * there.
 */
function matchesOf({ interfaces, subnets }: Network, { lans }: Pick<Setting, 'lans'>): string[] {
  const through = lans.filter((lan) => interfaces.includes(lan))
  if (interfaces.length > 0 && through.length === 0) return []
  const from = `iifname ${interfaces.length === 0 ? lanOf({ lans }) : interfacesText(through)}`
  if (subnets.length === 0) return [from]
  const blocks = outerBlocks(subnets.map((subnet) => readBlock(subnet)!))
  return VERSIONS.flatMap(({ ip, version }) => {
    const all = blocks.filter((block) => block.version === version)
    return all.length === 0 ? [] : [`${from} ${ip} saddr { ${all.map(({ text }) => text).join(', ')} }`]
  })
}
