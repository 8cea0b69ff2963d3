import { getServers } from 'node:dns'
import { join } from 'node:path'
import { builtFile } from '../../node/built-file.ts'
import type { RouterPairing } from '../../protocol/router.ts'
import { openVia, type OpenedVia } from '../planes/linux/ssh/via.ts'
import { keptMarks } from '../planes/linux/table/mark-registry.ts'
import { linuxPlane, PORTS } from '../planes/linux/plane.ts'
import { startGateway, type GatewayProgram } from '../program/gateway.ts'
import { threadedReader } from '../program/reader-thread.ts'
import type { FaultListener } from '../state/state-damage.ts'
import { STATE_FILES } from '../state/state.ts'
import { LEASES, viaOf } from './router-access.ts'
import { StartUp } from './start-up.ts'

/**
 * A router that is driven: the gateway's program, and the files that load the last table when the router
 * starts.
 */
export interface DrivenRouter {
  readonly program: GatewayProgram
  readonly startUp: StartUp
}

/**
 * Starts the gateway's program over a router. The host key is pinned as soon as the program runs. Where a
 * step fails, the program and the connection end. `folder` has the key and the state of the program.
 *
 * @throws Error where the router is away or cannot be driven
 */
export async function driveRouter(
  { lans, fallback, offload, startUp: isKept, ...address }: RouterPairing,
  { folder, timeZone, fault }: { folder: string; timeZone: string; fault: FaultListener },
): Promise<DrivenRouter> {
  const opened: OpenedVia = await openVia(viaOf(address), folder)
  let program: GatewayProgram | undefined
  try {
    await opened.system.run('true', [])
    const startUp = new StartUp(opened.system, fault)
    const { numbers, damages } = await keptMarks(join(folder, STATE_FILES.numbers))
    const plane = await linuxPlane({
      system: opened.system,
      alone: fallback,
      offload,
      lans,
      outside: 'closed',
      upstreams: getServers().map(upstreamOf),
      newcomersPort: PORTS.newcomers,
      pagePort: PORTS.page,
      leases: LEASES,
      timeZone,
      numbers,
      clockFile: null,
      clockFloorFile: join(folder, STATE_FILES.clock),
      fault,
      written: (table) => startUp.keep(table),
    })
    // A long policy is read in a thread, so that look-ups are answered meanwhile.
    const bundle = await builtFile('gateway.mjs')
    const reader = bundle ? { reader: threadedReader(bundle) } : {}
    program = await startGateway(plane, { folder, fault, damages, ...reader })
    await opened.pin()
    if (isKept) await startUp.begin()
    return { program, startUp }
  } catch (error) {
    await program?.stop().catch((failed: unknown) => fault(failed, 'ending what drives the router'))
    opened.system.stop()
    throw error
  }
}

/**
 * Reads a name server as Node writes it.
 *
 * @example upstreamOf('192.0.2.1') // { host: '192.0.2.1', port: 53 }
 * @example upstreamOf('[2001:db8::1]:5353') // { host: '2001:db8::1', port: 5353 }
 */
function upstreamOf(text: string): { host: string; port: number } {
  const isBareIPv6 = !text.includes('[') && text.split(':').length > 2
  const [, host, port] = /^\[?([^\]]+?)\]?(?::(\d+))?$/.exec(isBareIPv6 ? `[${text}]` : text)!
  return { host: host!, port: port === undefined ? 53 : Number(port) }
}
