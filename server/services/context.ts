import { randomInt } from 'node:crypto'
import { mkdir, readFile } from 'node:fs/promises'
import { join, resolve } from 'node:path'
import pino, { type Logger } from 'pino'
import { gatewayAt } from '../../gateway/http-client.ts'
import { startGateway } from '../../gateway/gateway.ts'
import type { Gateway } from '../../protocol/gateway.ts'
import { SwitchedGateway } from '../../gateway/switched.ts'
import { officeNetwork } from '../../gateway/simulated/office.ts'
import { simulatedPlane } from '../../gateway/simulated/plane.ts'
import { WORKSHOP } from '../../gateway/simulated/workshop.ts'
import { TOPICS, type Topic } from '../../protocol/answers.ts'
import { fillDemo, type DemoSize } from '../demo/fill.ts'
import { hasAccount } from '../sql/account.ts'
import type { Database } from '../sql/database.ts'
import { lockFolder } from '../../gateway/lock.ts'
import { place } from '../sql/place.ts'
import { forgetNetwork, saveSightings } from '../sql/sighting.ts'
import { certificateFiles, ServedCertificate } from './certificate.ts'
import { NAMES } from './client.ts'
import { listenToCommands } from './control.ts'
import { isPlain, openDatabase } from './data-folder.ts'
import { startDeliveries } from './deliveries.ts'
import { ApiError } from './errors.ts'
import { allowanceFollower } from './allowances.ts'
import { GatewayWatch } from './gateway-watch.ts'
import { useGuestPasses } from './guest-pass.ts'
import { linkGateway, type GatewayLink } from './gateway-link.ts'
import { LogFeed, startLogFeed } from './log-feed.ts'
import { readLive } from './live.ts'
import { lookupKeeper } from './lookups.ts'
import { refreshList } from './list-source.ts'
import { followRequests } from './requests.ts'
import { RouterDriver } from './router.ts'
import { startUpkeep } from './upkeep.ts'
import { usageKeeper } from './usage.ts'
import { startZoneServer, type ZoneServer } from './zone-server.ts'

/** What every handler works with, made once a process. */
export interface Context {
  readonly sql: Database
  readonly gateway: Gateway
  /** Drives the router that the application is paired with; `null` where it was started for a certain gateway. */
  readonly router: RouterDriver | null
  readonly link: GatewayLink
  /** With which it is served; `null` = without TLS. */
  readonly certificate: ServedCertificate | null
  readonly log: Logger
  /** Where its data are, and the state of the embedded gateway. */
  readonly folder: string
  readonly gatewayFolder: string
  /** The code by which the first account is made; it is told on the console alone. */
  readonly setUpCode: string
  /** Where live lists are served by zone transfer; `null` = nowhere. */
  readonly zonesPort: number | null
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
  /** Hears of every change until the function that comes back is called. */
  hear(heard: (topic: Topic) => void): () => void
  close(): Promise<void>
}

/** What of an error is told: a failed statement carries its values, which are nobody's to read in a log. */
const told = (error: unknown) => {
  if (!(error instanceof Error)) return error
  const { code, detail } = error as { code?: unknown; detail?: unknown }
  return { type: error.name, message: error.message, code, detail, stack: error.stack }
}

const log = pino({
  level: process.env.LOG_LEVEL ?? 'info',
  serializers: { err: told },
  redact: ['password', '*.password', 'token', '*.token', 'headers.cookie', 'headers.authorization'],
})

/** How often look-ups and use are fetched without being asked for, in milliseconds. */
const KEEP_EVERY = 10_000

let opened: Promise<Context> | undefined

/**
 * The process's context, opened at the first call. A data folder that is in use or cannot be read ends the
 * process with one line.
 */
export function context(): Promise<Context> {
  return (opened ??= open().catch((error: unknown) => {
    const isKnown = isPlain(error)
    console.error(
      isKnown
        ? error.message
        : `Kairostat could not start: ${error instanceof Error ? error.message : String(error)}`,
    )
    if (!isKnown) log.error(error, 'start')
    process.exit(1)
  }))
}

async function open(): Promise<Context> {
  // Nothing that is written here is for other users of this machine.
  process.umask(0o077)
  const folder = resolve(process.env.KAIROSTAT_DATA ?? '.data/place')
  await mkdir(folder, { recursive: true, mode: 0o700 })
  const unlock = await lockFolder(folder)
  const sql = await openDatabase(folder, process.env.DATABASE_URL, (error) => {
    console.error(error.message)
    process.exit(1)
  })
  const size = demoSize()
  if (process.env.KAIROSTAT_DEMO)
    await fillDemo(sql, process.env.KAIROSTAT_DEMO, size, !process.env.KAIROSTAT_GATEWAY)
  const setUpCode = await codeFor(sql)
  const files = certificateFiles(process.env, folder)
  const certificate = files && (await ServedCertificate.open(files, [...NAMES]))
  const gatewayFolder = join(folder, 'gateway')

  const listeners = new Set<(topic: Topic) => void>()
  const spread = (topic: Topic) => listeners.forEach((listener) => listener(topic))
  const { gateway, router } = await openGateway(sql, gatewayFolder, size)
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
      if (change === 'gateway') watch.look(link.view()).catch((error: unknown) => log.warn(error, 'notices'))
      // Whatever changed at the gateway itself, it may also have seen others meanwhile: when it came back,
      // for one.
      if (change !== 'evidence') keepSightings().catch((error: unknown) => log.warn(error, 'sightings'))
      if (change !== 'sightings') spread(change === 'evidence' ? 'evidence' : 'gateway')
    },
    log,
  )
  const heard = (topic: string) => {
    if (topic === 'live') link.liveChanged()
    spread(topic as Topic)
  }
  await sql.listen(heard, () => TOPICS.forEach(heard))
  await link.look()
  const feed = new LogFeed({ sql, gateway, view: () => link.view() })
  const keepLookups = lookupKeeper(sql, gateway, (runs) => feed.hearLookups(runs))
  const keepUsage = usageKeeper(sql, gateway)
  const keeping = setInterval(() => {
    if (link.view().state === 'away') return
    keepLookups().catch((error: unknown) => log.warn(error, 'look-ups'))
    keepUsage().catch((error: unknown) => log.warn(error, 'usage'))
  }, KEEP_EVERY)
  const stopUpkeep = startUpkeep(sql, gateway, folder, gatewayFolder, log)
  const stopDeliveries = startDeliveries(sql, log)
  const stopFeed = startLogFeed(feed, log)
  const zones = await openZones(sql, gateway)
  const stopCommands = await listenToCommands(sql, folder, gatewayFolder, log)
  return {
    sql,
    gateway,
    router,
    link,
    certificate,
    log,
    folder,
    gatewayFolder,
    setUpCode,
    zonesPort: zones?.port ?? null,
    keepLookups,
    keepUsage,
    hear: (heard) => {
      listeners.add(heard)
      return () => listeners.delete(heard)
    },
    close: async () => {
      clearInterval(keeping)
      link.stop()
      await router?.stop()
      stopUpkeep()
      stopDeliveries()
      stopFeed()
      await zones?.stop()
      watch.stop()
      certificate?.stop()
      await stopCommands()
      await sql.close()
      await unlock()
    },
  }
}

/** The code for the first account, printed where there is none yet; KAIROSTAT_SETUP_CODE sets it. */
async function codeFor(sql: Database): Promise<string> {
  // Letters and digits that nobody takes for one another.
  const letters = 'ABCDEFGHJKMNPQRSTUVWXYZ23456789'
  const code =
    process.env.KAIROSTAT_SETUP_CODE?.toUpperCase() ??
    Array.from({ length: 8 }, () => letters[randomInt(letters.length)]!)
      .join('')
      .replace(/^..../, '$&-')
  if (!(await hasAccount(sql))) console.log(`Set-up code: ${code}`)
  return code
}

function demoSize(): DemoSize {
  const { KAIROSTAT_DEMO_SIZE: size = 'workshop' } = process.env
  if (size === 'workshop' || size === 'office') return size
  throw new Error(`KAIROSTAT_DEMO_SIZE is "${size}": set it to workshop or office.`)
}

/**
 * The gateway that KAIROSTAT_GATEWAY names; or the router that was paired, and the simulated network while there
 * is none.
 */
async function openGateway(
  sql: Database,
  folder: string,
  size: DemoSize,
): Promise<{ gateway: Gateway; router: RouterDriver | null }> {
  const {
    KAIROSTAT_GATEWAY: address,
    KAIROSTAT_GATEWAY_TOKEN_FILE: tokenFile,
    KAIROSTAT_GATEWAY_TOKEN: token = tokenFile && (await readFile(tokenFile, 'utf8')).trim(),
    KAIROSTAT_GATEWAY_TIME_ZONE: zone,
    KAIROSTAT_SIMULATED_PAGE_PORT: pagePort,
  } = process.env
  if (address) {
    if (!token)
      throw new Error(
        "KAIROSTAT_GATEWAY is set but KAIROSTAT_GATEWAY_TOKEN is not: set the gateway's secret, or name its file in KAIROSTAT_GATEWAY_TOKEN_FILE.",
      )
    return { gateway: gatewayAt(address, token), router: null }
  }
  const fault = (error: unknown, doing: string) => log.error(error, doing)
  const gateway = new SwitchedGateway()
  const router = new RouterDriver({
    folder,
    gateway,
    fault,
    forget: () => forgetNetwork(sql),
    timeZone: async () => (await place(sql))?.timeZone ?? Intl.DateTimeFormat().resolvedOptions().timeZone,
    unpaired: () =>
      startGateway(
        simulatedPlane(
          size === 'office' ? officeNetwork() : WORKSHOP,
          zone ?? 'Europe/Lisbon',
          1,
          zone === undefined,
          pagePort === undefined ? null : Number(pagePort),
        ),
        { folder: process.env.KAIROSTAT_DEMO ? null : folder, fault },
      ),
  })
  await router.start()
  return { gateway, router }
}

/** The server of zone transfers, where KAIROSTAT_TRANSFER_PORT says its port. */
async function openZones(sql: Database, gateway: Gateway): Promise<ZoneServer | null> {
  const { KAIROSTAT_TRANSFER_PORT: port, HOST: host = '127.0.0.1' } = process.env
  if (!port) return null
  const refresh = (list: string) => refreshList(sql, gateway, list)
  return startZoneServer({ sql, host, port: Number(port), log, refresh }).catch((error: Error) => {
    throw new Error(`KAIROSTAT_TRANSFER_PORT is ${port}, which cannot be used: ${error.message}`)
  })
}

function notSetUp(error: unknown): null {
  if (error instanceof ApiError && error.code === 'not-set-up') return null
  throw error
}
