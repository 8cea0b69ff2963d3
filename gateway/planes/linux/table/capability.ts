import { networksNamedIn } from '../../../../core/plan/plan.ts'
import type { Policy } from '../../../../core/policy/types.ts'
import { GatewayFailure, type Refusal } from '../../../../protocol/gateway/gateway.ts'
import { AwayFault, ToolFault, ToolUnusable } from '../system.ts'

/**
 * Returns the faults of a policy on a router whose local network is on some interfaces: a network that a rule
 * names, and from which nothing comes there. `null` where all can be.
 */
export function unsupportedIn(policy: Policy, lans: readonly string[]): Refusal {
  const named = networksNamedIn(policy)
  const faults = policy.networks.flatMap(({ id, name, interfaces }, index) =>
    interfaces.length === 0 || !named.has(id) || interfaces.some((one) => lans.includes(one))
      ? []
      : [
          {
            path: `networks[${index}].interfaces`,
            message: `${name} is on ${interfaces.join(', ')}, which this gateway does not watch: choose one of ${lans.join(', ')}, or start the gateway with --lan ${interfaces[0]} too`,
          },
        ],
  )
  return faults.length > 0 ? faults : null
}

/**
 * Why a policy could not be put into the packet filter, as a refusal of it.
 *
 * @throws GatewayFailure where it is no fault of the policy; who asks may ask again
 */
export function refusalOf(error: unknown): Refusal {
  if (error instanceof AwayFault) throw new GatewayFailure(error.message)
  if (error instanceof ToolUnusable || (error instanceof ToolFault && error.isPassing))
    throw new GatewayFailure(`The packet filter cannot be written now: ${error.message}`)
  if (error instanceof RangeError) return [{ path: 'devices', message: error.message }]
  if (error instanceof ToolFault)
    return [{ path: '', message: `cannot be put into the packet filter: ${error.message}` }]
  throw error
}
