import { errorText } from '../../core/words/error-text.ts'
import { randomBytes } from 'node:crypto'
import { mkdir } from 'node:fs/promises'
import { resolve } from 'node:path'
import pino, { type Logger } from 'pino'
import { lockFolder } from '../../node/lock.ts'
import { newCode, plainCode } from '../../node/code.ts'
import type { Topic } from '../../protocol/answers.ts'
import { fillDemo, type DemoSize } from '../demo/fill.ts'
import { hasAccount } from '../accounts/account-sql.ts'
import type { Database } from '../database/database.ts'
import { certificateFiles, ServedCertificate } from '../operations/certificate.ts'
import { Clients } from './client.ts'
import { listenToCommands } from '../operations/control.ts'
import { isPlain, openDatabase } from '../operations/data-folder.ts'
import { FIRST } from '../../protocol/places.ts'
import { OpenStreams } from './open-streams.ts'
import { Peers } from './peers.ts'
import { Turns } from './turns.ts'
import { peerSecret } from '../places/holding-sql.ts'
import { Places } from '../places/places.ts'
import { startSnapshots } from '../operations/snapshots.ts'
import { startZoneServer, type ZoneServer } from '../lists/zones/zone-server.ts'

/** The surroundings of every handler besides its place, made once in a process. */
export interface Context {
  readonly database: Database
  readonly places: Places
  readonly peers: Peers
  readonly clients: Clients
  readonly turns: Turns
  readonly streams: OpenStreams
  /** With which it is served; `null` = without TLS. */
  readonly certificate: ServedCertificate | null
  readonly log: Logger
  /** The data folder. */
  readonly folder: string
  /** The code by which the first account is made; it is told on the console alone. */
  readonly setUpCode: string
  /** The port on which live lists are served by zone transfer; `null` = none. */
  readonly zonesPort: number | null
  close(): Promise<void>
}

/**
 * Returns the part of an error that is logged: a failed statement carries its values, which do not belong
 * in a log.
 */
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

let opened: Promise<Context> | undefined

/**
 * The process's context, opened at the first call. A data folder that is in use or cannot be read ends the
 * process with one line.
 */
export function context(): Promise<Context> {
  return (opened ??= open().catch((error: unknown) => {
    const isKnown = isPlain(error)
    console.error(isKnown ? error.message : `Kairostat could not start: ${errorText(error)}`)
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
  const database = await openDatabase(folder, process.env.DATABASE_URL, (error) => {
    console.error(error.message)
    process.exit(1)
  })
  const size = demoSize()
  if (process.env.KAIROSTAT_DEMO)
    await fillDemo(database, process.env.KAIROSTAT_DEMO, size, !process.env.KAIROSTAT_GATEWAY)
  const setUpCode = await codeFor(database)
  const files = certificateFiles(process.env, folder)
  const secret = await peerSecret(database, randomBytes(32).toString('base64url'))
  const clients = new Clients(process.env, secret)
  const certificate = files && (await ServedCertificate.open(files, [...clients.names]))
  const peers = new Peers(secret, clients)
  const places = new Places({ database, folder, size, log, peer: () => peers.address })
  await database.listen(
    (place, topic) => places.heard(place, topic as Topic),
    () => places.missed(),
  )
  const stopSnapshots = startSnapshots(database, folder, log, async () => {
    return (await places.of(FIRST))?.running !== null
  })
  const zones = await openZones(places, log)
  const stopCommands = await listenToCommands(database, folder, log)
  return {
    database,
    places,
    peers,
    clients,
    turns: new Turns(),
    streams: new OpenStreams(),
    certificate,
    log,
    folder,
    setUpCode,
    zonesPort: zones?.port ?? null,
    close: async () => {
      stopSnapshots()
      await zones?.stop()
      await places.stop()
      await peers.stop()
      certificate?.stop()
      await stopCommands()
      await database.close()
      await unlock()
    },
  }
}

/** The code for the first account, printed where there is none yet; KAIROSTAT_SETUP_CODE sets it. */
async function codeFor(sql: Database): Promise<string> {
  const code = process.env.KAIROSTAT_SETUP_CODE?.toUpperCase() ?? newCode()
  if (plainCode(code) === '')
    throw new Error(`KAIROSTAT_SETUP_CODE is "${code}": set it to letters and digits.`)
  if (!(await hasAccount(sql))) console.log(`Set-up code: ${code}`)
  return code
}

function demoSize(): DemoSize {
  const { KAIROSTAT_DEMO_SIZE: size = 'workshop' } = process.env
  if (size === 'workshop' || size === 'office') return size
  throw new Error(`KAIROSTAT_DEMO_SIZE is "${size}": set it to workshop or office.`)
}

/** The server of zone transfers, where KAIROSTAT_TRANSFER_PORT says its port. */
async function openZones(places: Places, log: Logger): Promise<ZoneServer | null> {
  const { KAIROSTAT_TRANSFER_PORT: port, HOST: host = '127.0.0.1' } = process.env
  if (!port) return null
  return startZoneServer({ places: () => places.all(), host, port: Number(port), log }).catch(
    (error: Error) => {
      throw new Error(`KAIROSTAT_TRANSFER_PORT is ${port}, which cannot be used: ${error.message}`)
    },
  )
}
