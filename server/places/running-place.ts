import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { Mutex } from 'async-mutex'
import type { Logger } from 'pino'
import { officeNetwork } from '../../gateway/planes/simulated/office.ts'
import { WORKSHOP, type SimulatedDevice } from '../../gateway/planes/simulated/workshop.ts'
import { STATE_FILES } from '../../gateway/state/state.ts'
import { pacedLoop } from '../../node/paced-loop.ts'
import type { GatewayAnswer, Topic } from '../../protocol/answers.ts'
import { isAnswering, type GatewayChange } from '../../protocol/gateway/gateway.ts'
import { FIRST } from '../../protocol/places.ts'
import { lookupKeeper } from '../activity/lookups.ts'
import { usageKeeper } from '../activity/usage.ts'
import { tell, type Sql } from '../database/database.ts'
import { isTrial } from '../database/place-sql.ts'
import type { DemoSize } from '../demo/fill.ts'
import { ApiError } from '../errors.ts'
import { linkGateway, type GatewayLink } from '../gateways/gateway-link.ts'
import { openGateway, type OpenedGateway } from '../gateways/open-gateway.ts'
import { forgetNetwork, saveSightings } from '../gateways/sighting-sql.ts'
import { allowanceFollower } from '../live/allowances.ts'
import { useGuestPasses } from '../live/guest-pass.ts'
import { readLive } from '../live/live.ts'
import { followRequests } from '../live/requests.ts'
import { startDeliveries } from '../notices/deliveries.ts'
import { GatewayWatch } from '../notices/gateway-watch.ts'
import { LogFeed, startLogFeed } from '../notices/log-feed.ts'
import { holding, saveHolding } from './holding-sql.ts'
import { startUpkeep } from './upkeep.ts'

/** The parts that run for a place, in one process. */
export interface RunningPlace extends OpenedGateway {
  readonly link: GatewayLink
  /** Held while a list from elsewhere is used. */
  readonly listLock: Mutex
  /**
   * Fetches what the devices looked up since the last time.
   *
   * @throws Error where the gateway is away
   */
  keepLookups(): Promise<void>
  /**
   * Fetches what the devices used since the last time.
   *
   * @throws Error where the gateway is away
   */
  keepUsage(): Promise<void>
  stop(): Promise<void>
}

/** The surroundings of a place that runs. */
export interface PlaceParts {
  readonly id: string
  readonly sql: Sql
  /** The folder in which the embedded gateway keeps its state. */
  readonly gatewayFolder: string
  readonly size: DemoSize
  readonly log: Logger
  /** The address at which this process is reached by others. */
  readonly peer: string
}

/** The time between two fetches of look-ups and usage that nobody asked for. */
const FETCH_EVERY_MS = 10_000

/**
 * Starts the link of a place to its gateway, and everything that follows it. Where a step fails, nothing
 * runs on.
 */
export async function startPlace(parts: PlaceParts): Promise<RunningPlace> {
  await forgetOldNetwork(parts)
  const opened = await openGateway({ ...parts, network: networkOf(parts) })
  const running = new PlaceRun(parts, opened)
  try {
    await running.start()
    return running
  } catch (error) {
    // Another process, or a later try, begins from nothing.
    await running.stop().catch((failed: unknown) => parts.log.warn(failed, 'ending a place'))
    throw error
  }
}

class PlaceRun implements RunningPlace {
  readonly gateway: OpenedGateway['gateway']
  readonly router: OpenedGateway['router']
  readonly pairing: OpenedGateway['pairing']
  readonly trial: OpenedGateway['trial']
  readonly link: GatewayLink
  readonly listLock = new Mutex()
  readonly keepLookups: () => Promise<void>
  readonly keepUsage: () => Promise<void>
  readonly #watch: GatewayWatch
  readonly #feed: LogFeed
  readonly #followAllowances: () => Promise<void>
  /** Ends each part that was begun. */
  readonly #ends: (() => unknown)[] = []

  constructor(
    private readonly parts: PlaceParts,
    { gateway, router, pairing, trial }: OpenedGateway,
  ) {
    const { sql, log } = parts
    this.gateway = gateway
    this.router = router
    this.pairing = pairing
    this.trial = trial
    this.#ends.push(() => pairing?.stop())
    this.#watch = new GatewayWatch(sql, log)
    this.#ends.push(() => this.#watch.stop())
    this.#followAllowances = allowanceFollower(sql, gateway)
    this.#feed = new LogFeed({ sql, gateway, view: () => this.#realView() })
    const keepLookups = lookupKeeper(sql, gateway, (runs) => {
      if (!trial?.isOn) this.#feed.hearLookups(runs)
    })
    const keepUsage = usageKeeper(sql, gateway)
    this.keepLookups = () => this.#keep(keepLookups)
    this.keepUsage = () => this.#keep(keepUsage)
    this.link = linkGateway({
      gateway,
      live: () => readLive(sql).catch(notSetUp),
      changed: (change) => this.#follow(change),
      isTrial: () => trial?.isOn ?? false,
      log,
    })
    this.#ends.push(() => this.link.stop())
  }

  /** Looks at the gateway once, and begins everything that goes on by itself. */
  async start(): Promise<void> {
    const { sql, log } = this.parts
    await this.#saveHolding(await this.link.look())
    this.#ends.push(
      pacedLoop(
        { everyMs: FETCH_EVERY_MS, isSpread: true },
        () => this.#fetch(),
        (error) => log.warn(error, 'usage'),
      ),
      startUpkeep({ sql, gateway: this.gateway, listLock: this.listLock }, log),
      startDeliveries(sql, log),
      startLogFeed(this.#feed, log),
    )
  }

  async stop(): Promise<void> {
    for (const end of this.#ends.splice(0).reverse()) await end()
  }

  /** Follows a change of the gateway, or at it. */
  #follow(change: GatewayChange | 'gateway'): void {
    const { sql } = this.parts
    const isView = change === 'gateway'
    if (change === 'requests' || isView) this.#do('requests', followRequests(sql, this.gateway))
    if (change === 'allowances' || isView) this.#do('allowances', this.#followAllowances())
    if (change === 'allowances') this.#spread('allowances')
    if (change === 'requests' || change === 'allowances') return
    if (isView) this.#do('gateway', this.#saveHolding(this.link.view()))
    if (isView) this.#do('notices', this.#watch.look(this.link.view()))
    // A gateway that came back may have seen others meanwhile.
    if (change !== 'evidence') this.#do('sightings', this.#keepSightings())
    if (change !== 'sightings') this.#spread(change === 'evidence' ? 'evidence' : 'gateway')
  }

  /**
   * Does a work that nobody waits for; a gateway that is away, or not connected, is tried again by the
   * link.
   */
  #do(what: string, work: Promise<unknown>): void {
    work.catch((error: unknown) => {
      if (this.link.view().state !== 'none') this.parts.log.warn(error, what)
    })
  }

  #spread(topic: Topic): void {
    this.#do('events', tell(this.parts.sql, topic))
  }

  async #keepSightings(): Promise<void> {
    const { sql } = this.parts
    await this.#keep(async () => {
      const seen = await this.gateway.sightings()
      await this.#watch.tellNew(await saveSightings(sql, seen)).catch(notSetUp)
      this.#spread('sightings')
      await useGuestPasses(sql, seen).catch(notSetUp)
    })
  }

  /** Keeps facts of the network, and forgets them where a trial ended meanwhile. */
  async #keep(work: () => Promise<void>): Promise<void> {
    const wasTrial = this.trial?.isOn
    await work()
    if (wasTrial && !this.trial?.isOn) await forgetNetwork(this.parts.sql)
  }

  async #fetch(): Promise<void> {
    if (!isAnswering(this.link.view().state)) return
    await this.keepLookups().catch((error: unknown) => this.parts.log.warn(error, 'look-ups'))
    await this.keepUsage()
  }

  #saveHolding(view: GatewayAnswer): Promise<void> {
    return saveHolding(this.parts.sql, {
      peer: this.parts.peer,
      state: view.state,
      isSimulated: view.status?.plane === 'simulated',
      alarms: view.status?.alarms.length ?? 0,
    })
  }

  /** Returns how the gateway stands; one of a trial is none to others. */
  #realView(): GatewayAnswer {
    const view = this.link.view()
    return view.isTrial ? { ...view, state: 'none', status: null } : view
  }
}

/**
 * Forgets the made-up network that earlier versions ran at every place without a gateway, and what its
 * gateway wrote down.
 */
async function forgetOldNetwork({ id, sql, gatewayFolder }: PlaceParts): Promise<void> {
  const isNamed = id === FIRST && Boolean(process.env.KAIROSTAT_GATEWAY)
  if (isNamed || process.env.KAIROSTAT_DEMO || (await isTrial(sql))) return
  if (!(await holding(sql))?.isSimulated) return
  await forgetNetwork(sql)
  const { lookups, usage, requests, allowances } = STATE_FILES
  for (const file of [lookups, usage, requests, allowances])
    await rm(join(gatewayFolder, file), { force: true })
}

/** Returns the devices of a made-up network; further places of the demo have none. */
function networkOf({ id, size }: PlaceParts): readonly SimulatedDevice[] {
  if (!process.env.KAIROSTAT_DEMO) return WORKSHOP
  if (id !== FIRST) return []
  return size === 'office' ? officeNetwork() : WORKSHOP
}

function notSetUp(error: unknown): null {
  if (error instanceof ApiError && error.code === 'not-set-up') return null
  throw error
}
