import { errorText } from '../../core/words/error-text.ts'
import type { LetIn, RouterAddress, RouterLook, RouterPairing } from '../../protocol/router.ts'
import { letGo } from '../planes/linux/table/offload.ts'
import { TABLE } from '../planes/linux/table/table-setting.ts'
import { openVia, ownKey, type OpenedVia, type Via } from '../planes/linux/ssh/via.ts'
import { AwayFault } from '../planes/linux/system.ts'
import type { FaultListener } from '../state/state-damage.ts'
import { letInCommands } from './let-in.ts'
import { reportOf } from './router-report.ts'
import { StartUp } from './start-up.ts'

/** The files in which routers keep the names that devices gave themselves. */
export const LEASES = ['/tmp/dhcp.leases', '/var/lib/misc/dnsmasq.leases']

/** Returns how SSH reaches a router. */
export function viaOf({ address, port, user }: RouterAddress): Via {
  return { host: address, port, user }
}

/** Returns the commands that install the key of a folder on a router. */
export async function letInCommandsOf(folder: string) {
  const { keyLine } = await ownKey(folder)
  return letInCommands(keyLine, LEASES)
}

/** Looks at a router with the key of a folder, and changes nothing. */
export async function lookAtRouter(folder: string, address: RouterAddress): Promise<RouterLook> {
  let opened: OpenedVia | undefined
  try {
    opened = await openVia(viaOf(address), folder)
    await opened.system.run('true', [])
    return { report: await reportOf(opened.system, opened.fingerprint()) }
  } catch (error) {
    return { trouble: errorText(error), isLocked: error instanceof AwayFault && error.isLocked }
  } finally {
    opened?.system.stop()
  }
}

/**
 * Installs the key of a folder on a router by its user's password, which is stored nowhere; then looks at
 * it.
 */
export async function letInAtRouter(
  folder: string,
  { password, isBound, ...address }: LetIn,
): Promise<RouterLook> {
  let opened: OpenedVia | undefined
  try {
    const commands = await letInCommandsOf(folder)
    opened = await openVia(viaOf(address), folder, password)
    await opened.system.run('sh', ['-s'], `${isBound ? commands.bound : commands.whole}\n`)
  } catch (error) {
    return { trouble: errorText(error), isLocked: false }
  } finally {
    opened?.system.stop()
  }
  return lookAtRouter(folder, address)
}

/** Removes everything of ours from a router; whatever cannot be removed is told to `fault`. */
export async function cleanRouter(
  folder: string,
  pairing: RouterPairing,
  fault: FaultListener,
): Promise<void> {
  const { system } = await openVia(viaOf(pairing), folder)
  if (pairing.startUp)
    await new StartUp(system, fault)
      .end()
      .catch((error: unknown) => fault(error, 'deleting the start-up file of the router'))
  if (pairing.offload === 'unrestricted')
    await letGo(system).catch((error: unknown) =>
      fault(error, 'letting the firewall of the router offload all again'),
    )
  await system
    .run('nft', ['delete', 'table', ...TABLE.split(' ')])
    .catch((error: unknown) => fault(error, 'taking the table out of the router'))
  system.stop()
}
