import { gatewayCalls, methodOf } from '../../protocol/gateway/gateway-calls.ts'
import { NoGateway, type Gateway } from '../../protocol/gateway/gateway.ts'

/** A gateway in whose place another may be put while it is in use. */
export interface SwitchedGateway extends Gateway {
  /** Puts another gateway in place; whoever watches the one before is told to watch anew. */
  use(gateway: Gateway): void
  /** Takes the gateway away; from then on every call fails with this error. */
  leave(reason: Error): void
}

/** Returns a switch that has no gateway yet. */
export function switchedGateway(): SwitchedGateway {
  let current: Gateway | null = null
  let reason: Error = new NoGateway()
  let switched = new AbortController()
  const put = (gateway: Gateway | null) => {
    current = gateway
    switched.abort()
    switched = new AbortController()
  }
  const inPlace = (): Gateway => {
    if (!current) throw reason
    return current
  }
  return {
    use: put,
    leave: (why) => {
      reason = why
      put(null)
    },
    ...gatewayCalls(async (name, _call, args) => methodOf(inPlace(), name)(...args)),
    simulation: async () => inPlace().simulation(),
    watch: async (changed, signal) => inPlace().watch(changed, AbortSignal.any([signal, switched.signal])),
  }
}
