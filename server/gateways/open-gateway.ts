import { mkdir, readFile } from 'node:fs/promises'
import type { Logger } from 'pino'
import { simulatedPlane } from '../../gateway/planes/simulated/plane.ts'
import type { SimulatedDevice } from '../../gateway/planes/simulated/workshop.ts'
import { startSimulatedGateway } from '../../gateway/simulation/simulated-gateway.ts'
import { RouterDriver } from '../../gateway/router/driver.ts'
import { gatewayAt } from '../../gateway/transport/http-client.ts'
import { switchedGateway } from '../../gateway/transport/switched.ts'
import type { Gateway } from '../../protocol/gateway.ts'
import { FIRST } from '../../protocol/places.ts'
import type { Sql } from '../database/database.ts'
import { bindPlace, place } from '../database/place-sql.ts'
import { GatewayPairing } from './pairing.ts'
import { forgetNetwork } from './sighting-sql.ts'

/** The gateway of a place. */
export interface OpenedGateway {
  readonly gateway: Gateway
  /** Drives the router that the place is paired with; `null` where KAIROSTAT_GATEWAY names the gateway. */
  readonly router: RouterDriver | null
  /** Pairs the place with a gateway over TLS; `null` as above. */
  readonly pairing: GatewayPairing | null
}

/** The surroundings of the gateway of a place. */
export interface OpenGatewayParts {
  readonly id: string
  readonly sql: Sql
  /** Where the embedded gateway keeps its state. */
  readonly gatewayFolder: string
  /** The devices of the simulated network. */
  readonly network: readonly SimulatedDevice[]
  readonly log: Logger
}

/**
 * Opens the gateway that KAIROSTAT_GATEWAY names, for the first place; or else the one that was paired, and a simulated
 * network while none is.
 */
export async function openGateway({
  id,
  sql,
  gatewayFolder: folder,
  network,
  log,
}: OpenGatewayParts): Promise<OpenedGateway> {
  const {
    KAIROSTAT_GATEWAY: address,
    KAIROSTAT_GATEWAY_TOKEN_FILE: tokenFile,
    KAIROSTAT_GATEWAY_TOKEN: token = tokenFile && (await readFile(tokenFile, 'utf8')).trim(),
    KAIROSTAT_GATEWAY_TIME_ZONE: zone,
    KAIROSTAT_SIMULATED_PAGE_PORT: pagePort,
  }: NodeJS.ProcessEnv = id === FIRST ? process.env : {}
  if (address) {
    if (!token)
      throw new Error(
        "KAIROSTAT_GATEWAY is set but KAIROSTAT_GATEWAY_TOKEN is not: set the gateway's secret, or name its file in KAIROSTAT_GATEWAY_TOKEN_FILE.",
      )
    return { gateway: gatewayAt(address, token), router: null, pairing: null }
  }
  await mkdir(folder, { recursive: true, mode: 0o700 })
  const fault = (error: unknown, doing: string) => log.error(error, doing)
  const gateway = switchedGateway()
  const router = new RouterDriver({
    folder,
    gateway,
    fault,
    bound: (isBound) => bindPlace(sql, isBound),
    forget: () => forgetNetwork(sql),
    timeZone: async () => (await place(sql))?.timeZone ?? Intl.DateTimeFormat().resolvedOptions().timeZone,
    unpaired: () =>
      startSimulatedGateway(
        simulatedPlane(network, {
          timeZone: zone ?? 'Europe/Lisbon',
          followsPlace: zone === undefined,
          seed: 1,
          pagePort: pagePort === undefined ? null : Number(pagePort),
        }),
        { folder: process.env.KAIROSTAT_DEMO ? null : folder, fault },
      ),
  })
  const pairing = new GatewayPairing({ sql, gateway, router, fault })
  try {
    await pairing.start()
  } catch (error) {
    await pairing.stop().catch((failed: unknown) => fault(failed, 'ending a place'))
    throw error
  }
  return { gateway, router, pairing }
}
