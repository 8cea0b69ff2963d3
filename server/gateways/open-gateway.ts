import { mkdir, readFile, rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { Logger } from 'pino'
import { simulatedPlane } from '../../gateway/planes/simulated/plane.ts'
import type { SimulatedDevice } from '../../gateway/planes/simulated/workshop.ts'
import type { GatewayProgram } from '../../gateway/program/gateway.ts'
import { RouterDriver } from '../../gateway/router/driver.ts'
import { startSimulatedGateway } from '../../gateway/simulation/simulated-gateway.ts'
import { gatewayAt } from '../../gateway/transport/http-client.ts'
import { switchedGateway } from '../../gateway/transport/switched.ts'
import type { Gateway } from '../../protocol/gateway/gateway.ts'
import { FIRST } from '../../protocol/places.ts'
import { record } from '../accounts/audit.ts'
import type { Actor, Sql } from '../database/database.ts'
import { bindPlace, isTrial, place, saveTrial } from '../database/place-sql.ts'
import { ApiError } from '../errors.ts'
import { GatewayPairing } from './pairing.ts'
import { forgetNetwork, knowsNetwork } from './sighting-sql.ts'

/** The gateway of a place. */
export interface OpenedGateway {
  readonly gateway: Gateway
  /** Drives the router that the place is paired with; `null` where KAIROSTAT_GATEWAY names the gateway. */
  readonly router: RouterDriver | null
  /** Pairs the place with a gateway over TLS; `null` as above. */
  readonly pairing: GatewayPairing | null
  /** The trial of a made-up network; `null` as above, and in the demo. */
  readonly trial: NetworkTrial | null
}

/** The surroundings of the gateway of a place. */
export interface OpenGatewayParts {
  readonly id: string
  readonly sql: Sql
  /** The folder in which the embedded gateway keeps its state. */
  readonly gatewayFolder: string
  /** The devices of a made-up network. */
  readonly network: readonly SimulatedDevice[]
  readonly log: Logger
}

/**
 * Opens the gateway that KAIROSTAT_GATEWAY names, for the first place; or else the one that was paired. While
 * none is, the demo and a trial have a made-up network, and other places have no gateway.
 */
export async function openGateway(parts: OpenGatewayParts): Promise<OpenedGateway> {
  const { id, sql, gatewayFolder: folder, log } = parts
  const named = id === FIRST ? await gatewayNamed() : null
  if (named) return { gateway: named, router: null, pairing: null, trial: null }
  await mkdir(folder, { recursive: true, mode: 0o700 })
  const fault = (error: unknown, doing: string) => log.error(error, doing)
  const gateway = switchedGateway()
  const isDemo = Boolean(process.env.KAIROSTAT_DEMO)
  const trial = isDemo ? null : await NetworkTrial.open(sql, join(folder, 'trial'))
  const router = new RouterDriver({
    folder,
    gateway,
    fault,
    bound: async (isBound) => {
      await bindPlace(sql, isBound)
      if (isBound) await endMadeUp()
    },
    timeZone: async () => (await place(sql))?.timeZone ?? Intl.DateTimeFormat().resolvedOptions().timeZone,
    unpaired: async () => {
      if (!isDemo && !trial?.isOn) return null
      isMadeUp = true
      return startMadeUp(parts, trial?.folder ?? null)
    },
  })
  /** Whether the made-up network of the demo has run since the start. */
  let isMadeUp = false
  const endMadeUp = async () => {
    if (trial) return trial.end()
    if (isMadeUp) await forgetNetwork(sql)
    isMadeUp = false
  }
  const pairing = new GatewayPairing({ sql, gateway, router, fault, paired: endMadeUp })
  try {
    await pairing.start()
  } catch (error) {
    await pairing.stop().catch((failed: unknown) => fault(failed, 'ending a place'))
    throw error
  }
  return { gateway, router, pairing, trial }
}

/** Returns the gateway that the environment names; `null` = it names none. */
async function gatewayNamed(): Promise<Gateway | null> {
  const {
    KAIROSTAT_GATEWAY: address,
    KAIROSTAT_GATEWAY_TOKEN_FILE: tokenFile,
    KAIROSTAT_GATEWAY_TOKEN: token = tokenFile && (await readFile(tokenFile, 'utf8')).trim(),
  } = process.env
  if (!address) return null
  if (!token)
    throw new Error(
      "KAIROSTAT_GATEWAY is set but KAIROSTAT_GATEWAY_TOKEN is not: set the gateway's secret, or name its file in KAIROSTAT_GATEWAY_TOKEN_FILE.",
    )
  return gatewayAt(address, token)
}

/** Starts the gateway of a made-up network; without a folder it keeps its state in memory alone. */
function startMadeUp({ id, network, log }: OpenGatewayParts, folder: string | null): Promise<GatewayProgram> {
  const { KAIROSTAT_GATEWAY_TIME_ZONE: zone, KAIROSTAT_SIMULATED_PAGE_PORT: pagePort }: NodeJS.ProcessEnv =
    id === FIRST ? process.env : {}
  const plane = simulatedPlane(network, {
    timeZone: zone ?? 'Europe/Lisbon',
    followsPlace: zone === undefined,
    seed: 1,
    pagePort: pagePort === undefined ? null : Number(pagePort),
  })
  return startSimulatedGateway(plane, {
    folder,
    fault: (error, doing) => log.error(error, doing),
  })
}

/** The trial of a made-up network at a real place. Everything that it leaves is deleted when it ends. */
export class NetworkTrial {
  private constructor(
    private readonly sql: Sql,
    /** The folder in which its gateway keeps its state. */
    readonly folder: string,
    private on: boolean,
  ) {}

  static async open(sql: Sql, folder: string): Promise<NetworkTrial> {
    return new NetworkTrial(sql, folder, await isTrial(sql))
  }

  /** Whether a made-up network is tried now. */
  get isOn(): boolean {
    return this.on
  }

  /**
   * Begins or ends the trial.
   *
   * @throws ApiError `not-possible` where a gateway is connected, or something of a real network is stored
   */
  async set(
    isOn: boolean,
    { router, pairing }: Pick<OpenedGateway, 'router' | 'pairing'>,
    by?: Actor,
  ): Promise<void> {
    if (isOn === this.on) return
    if (isOn) await this.#begin(router!.isPaired || pairing!.answer().address !== null)
    else await this.#save(false)
    // The program of a trial that ended is stopped before its folder is deleted.
    await router!.renewUnpaired()
    if (!isOn) await this.#forget()
    const words = `Trial of a made-up network ${isOn ? 'begun' : 'ended'}`
    await record(this.sql, 'settings', words, by)
  }

  async #begin(isConnected: boolean): Promise<void> {
    if (isConnected)
      throw new ApiError(
        'not-possible',
        'A gateway is connected: disconnect it before you try a made-up network.',
      )
    if (await knowsNetwork(this.sql))
      throw new ApiError(
        'not-possible',
        'This place has devices, look-ups or usage of a real network: add another place and try a made-up network there.',
      )
    await this.#save(true)
  }

  /** Ends the trial after its program has stopped, and deletes what it left. */
  async end(): Promise<void> {
    if (!this.on) return
    await this.#save(false)
    await this.#forget()
  }

  async #save(isOn: boolean): Promise<void> {
    await saveTrial(this.sql, isOn)
    this.on = isOn
  }

  async #forget(): Promise<void> {
    await forgetNetwork(this.sql)
    await rm(this.folder, { recursive: true, force: true })
  }
}

/**
 * Returns the trial of a made-up network.
 *
 * @throws ApiError `not-possible` in the demo, and where the application was started for a certain gateway
 */
export function trialOf(trial: NetworkTrial | null): NetworkTrial {
  if (trial) return trial
  throw new ApiError(
    'not-possible',
    'The demo, or the gateway that KAIROSTAT_GATEWAY names, is in its place.',
  )
}
