import type { Policy } from '../../core/policy/types.ts'
import type { Refusal } from '../../protocol/gateway.ts'
import { ToolFault } from './system.ts'

const NETWORKS =
  'names networks, which a Linux gateway does not tell apart yet: name devices or groups instead'

/** What of a policy the Linux plane cannot do; `null` where it can do all. */
export function unsupportedIn({ rules, overrides }: Policy): Refusal {
  type Part = Policy['rules'][number] | Policy['overrides'][number]
  const namesNetworks = ({ who }: Part) => who.networks.length + who.except.networks.length > 0
  const faultsOf = (part: 'rules' | 'overrides', entries: readonly Part[]) =>
    entries.flatMap((entry, index) =>
      namesNetworks(entry) ? [{ path: `${part}[${index}].who`, message: NETWORKS }] : [],
    )
  const faults = [...faultsOf('rules', rules), ...faultsOf('overrides', overrides)]
  return faults.length > 0 ? faults : null
}

/**
 * Why a policy could not be put into the packet filter, as a refusal of it.
 *
 * @throws the error itself where it is no fault of the policy; who asks may ask again
 */
export function refusalOf(error: unknown): Refusal {
  if (error instanceof ToolFault && error.isPassing) throw error
  if (error instanceof RangeError) return [{ path: 'devices', message: error.message }]
  if (error instanceof ToolFault)
    return [{ path: '', message: `cannot be put into the packet filter: ${error.message}` }]
  throw error
}
