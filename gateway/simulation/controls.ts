import { GatewayRefusal } from '../../protocol/gateway/gateway.ts'
import { PRETENCES, type Simulation } from '../../protocol/gateway/simulation.ts'
import { secondsOf } from '../program/instant.ts'
import type { SimulationControls } from '../planes/simulated/plane.ts'
import type { GatewayProgram } from '../program/gateway.ts'

/** Returns what a gateway lets its callers do to a simulated network. */
export function simulationOf(controls: SimulationControls, program: GatewayProgram): Simulation {
  return {
    setClock: async (instant) => {
      await program.countNow()
      controls.setClock(instant === null ? null : secondsOf(instant) * 1000)
      await program.countNow()
      program.tell('status')
    },
    send: async (mac, to) => controls.send(mac, to),
    pretend: async (trouble) => {
      if (!PRETENCES.includes(trouble))
        throw new GatewayRefusal(
          `A network cannot go wrong by “${String(trouble)}”: use one of ${PRETENCES.join(', ')}.`,
        )
      controls.pretend(trouble)
      program.tell('status')
    },
    useApp: async (mac, app) => {
      const refusal = controls.useApp(mac, app)
      if (refusal !== null) throw new GatewayRefusal(refusal)
    },
  }
}
