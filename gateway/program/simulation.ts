import { GatewayRefusal } from '../../protocol/gateway.ts'
import { PRETENCES, REAL_NETWORK, type Simulation } from '../../protocol/simulation.ts'
import { secondsOf } from './instant.ts'
import type { SimulationControls } from '../planes/plane.ts'

/**
 * The controls of a simulated network as a gateway offers them; `changed` hears that its status is another, and
 * before the clock is set `counted` sees to it that what was used until then counts as such.
 *
 * @throws GatewayRefusal where there are none
 */
export function simulationOf(
  controls: SimulationControls | null,
  changed: () => void,
  counted: () => Promise<void>,
): Simulation {
  if (!controls) throw new GatewayRefusal(REAL_NETWORK)
  return {
    setClock: async (instant) => {
      await counted()
      controls.setClock(instant === null ? null : secondsOf(instant) * 1000)
      await counted()
      changed()
    },
    send: async (mac, to) => controls.send(mac, to),
    pretend: async (trouble) => {
      if (!PRETENCES.includes(trouble))
        throw new GatewayRefusal(
          `A network cannot go wrong by “${String(trouble)}”: use one of ${PRETENCES.join(', ')}.`,
        )
      controls.pretend(trouble)
      changed()
    },
    useApp: async (mac, app) => {
      const refusal = controls.useApp(mac, app)
      if (refusal !== null) throw new GatewayRefusal(refusal)
    },
  }
}
