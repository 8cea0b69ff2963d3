import { gatewayCalls, methodOf } from '../../protocol/gateway/gateway-calls.ts'
import type { SimulatedPlane } from '../planes/simulated/plane.ts'
import { startGateway, type GatewayOptions, type GatewayProgram } from '../program/gateway.ts'
import { simulationOf } from './controls.ts'

/**
 * Starts the gateway's program over a simulated network, whose clock can be set and whose devices can be made
 * to send. With its first policy the network has a made-up past.
 *
 * @throws LockedFolder where another process has the folder
 */
export async function startSimulatedGateway(
  plane: SimulatedPlane,
  options: GatewayOptions,
): Promise<GatewayProgram> {
  const controls = plane.simulation
  const program = await startGateway(plane, options)
  let hasPast = false
  const addPast = () => {
    if (hasPast) return
    const hours = controls.pastUse()
    hasPast = hours.length > 0
    program.addPastUse(hours)
  }
  addPast()
  return {
    ...gatewayCalls((name, _call, args) => methodOf(program, name)(...args)),
    status: async () => ({ ...(await program.status()), apps: controls.apps }),
    enforce: async (proposal) => {
      const refusal = await program.enforce(proposal)
      addPast()
      return refusal
    },
    simulation: async () => simulationOf(controls, program),
    watch: (changed, signal) => program.watch(changed, signal),
    countNow: () => program.countNow(),
    addPastUse: (hours) => program.addPastUse(hours),
    tell: (change) => program.tell(change),
    stop: () => program.stop(),
  }
}
