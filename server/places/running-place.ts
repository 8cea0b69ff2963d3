import type { Logger } from 'pino'
import { officeNetwork } from '../../gateway/planes/simulated/office.ts'
import { WORKSHOP, type SimulatedDevice } from '../../gateway/planes/simulated/workshop.ts'
import type { GatewayAnswer, Topic } from '../../protocol/answers.ts'
import type { DemoSize } from '../demo/fill.ts'
import { tell, type Sql } from '../database/database.ts'
import { saveHolding } from './holding-sql.ts'
import { FIRST } from '../../protocol/places.ts'
import { saveSightings } from '../gateways/sighting-sql.ts'
import { startDeliveries } from '../notices/deliveries.ts'
import { ApiError } from '../errors.ts'
import { allowanceFollower } from '../live/allowances.ts'
import { GatewayWatch } from '../notices/gateway-watch.ts'
import { useGuestPasses } from '../live/guest-pass.ts'
import { openGateway, type OpenedGateway } from '../gateways/open-gateway.ts'
import { linkGateway, type GatewayLink } from '../gateways/gateway-link.ts'
import { LogFeed, startLogFeed } from '../notices/log-feed.ts'
import { readLive } from '../live/live.ts'
import { lookupKeeper } from '../activity/lookups.ts'
import { repeat } from '../../node/repeat.ts'
import { followRequests } from '../live/requests.ts'
import { startUpkeep } from './upkeep.ts'
import { usageKeeper } from '../activity/usage.ts'

/** The parts that run for a place, in one process. */
export interface RunningPlace extends OpenedGateway {
  readonly link: GatewayLink
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

/** What a place runs with. */
export interface PlaceParts {
  readonly id: string
  readonly sql: Sql
  /** Where the embedded gateway keeps its state. */
  readonly gatewayFolder: string
  readonly size: DemoSize
  readonly log: Logger
  /** The address at which this process is reached by others. */
  readonly peer: string
}

/** How often look-ups and use are fetched without being asked for, in milliseconds. */
const KEEP_EVERY = 10_000

/** Starts what runs for a place: the link to its gateway, what follows it, and what is sent out. */
export async function startPlace(parts: PlaceParts): Promise<RunningPlace> {
  const { sql, log } = parts
  const spread = (topic: Topic) => {
    tell(sql, topic).catch((error: unknown) => log.warn(error, 'events'))
  }
  const note = (view: GatewayAnswer) =>
    saveHolding(sql, {
      peer: parts.peer,
      state: view.state,
      isSimulated: view.status?.plane === 'simulated',
      alarms: view.status?.alarms.length ?? 0,
    })
  const { gateway, router, pairing } = await openGateway({ ...parts, network: networkOf(parts) })
  const watch = new GatewayWatch(sql, log)
  const keepSightings = async () => {
    const seen = await gateway.sightings()
    await watch.tellNew(await saveSightings(sql, seen)).catch(notSetUp)
    spread('sightings')
    await useGuestPasses(sql, seen).catch(notSetUp)
  }
  const followAllowances = allowanceFollower(sql, gateway)
  const link = linkGateway(
    gateway,
    () => readLive(sql).catch(notSetUp),
    (change) => {
      if (change === 'requests' || change === 'gateway')
        followRequests(sql, gateway).catch((error: unknown) => log.warn(error, 'requests'))
      if (change === 'allowances' || change === 'gateway')
        followAllowances().catch((error: unknown) => log.warn(error, 'allowances'))
      if (change === 'allowances') spread('allowances')
      if (change === 'requests' || change === 'allowances') return
      if (change === 'gateway') note(link.view()).catch((error: unknown) => log.warn(error, 'gateway'))
      if (change === 'gateway') watch.look(link.view()).catch((error: unknown) => log.warn(error, 'notices'))
      // Whatever changed at the gateway itself, it may also have seen others meanwhile: when it came back,
      // for one.
      if (change !== 'evidence') keepSightings().catch((error: unknown) => log.warn(error, 'sightings'))
      if (change !== 'sightings') spread(change === 'evidence' ? 'evidence' : 'gateway')
    },
    log,
  )
  try {
    await note(await link.look())
  } catch (error) {
    // The link and the watch end: another process, or a later try, begins from nothing.
    link.stop()
    watch.stop()
    await pairing?.stop().catch((failed: unknown) => log.warn(failed, 'ending a place'))
    throw error
  }
  const feed = new LogFeed({ sql, gateway, view: () => link.view() })
  const keepLookups = lookupKeeper(sql, gateway, (runs) => feed.hearLookups(runs))
  const keepUsage = usageKeeper(sql, gateway)
  const stopKeeping = repeat(
    KEEP_EVERY,
    async () => {
      if (link.view().state === 'away') return
      await keepLookups().catch((error: unknown) => log.warn(error, 'look-ups'))
      await keepUsage()
    },
    (error) => log.warn(error, 'usage'),
  )
  const stopUpkeep = startUpkeep(sql, gateway, log)
  const stopDeliveries = startDeliveries(sql, log)
  const stopFeed = startLogFeed(feed, log)
  return {
    gateway,
    router,
    pairing,
    link,
    keepLookups,
    keepUsage,
    stop: async () => {
      stopKeeping()
      link.stop()
      await pairing?.stop()
      stopUpkeep()
      stopDeliveries()
      stopFeed()
      watch.stop()
    },
  }
}

function notSetUp(error: unknown): null {
  if (error instanceof ApiError && error.code === 'not-set-up') return null
  throw error
}

/** Returns the devices of the simulated network: at further places none. */
function networkOf({ id, size }: PlaceParts): readonly SimulatedDevice[] {
  if (id !== FIRST) return []
  return size === 'office' ? officeNetwork() : WORKSHOP
}
