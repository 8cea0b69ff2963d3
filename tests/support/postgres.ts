import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { chownSync, existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { createServer, type AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'
import pg from 'pg'

/** A PostgreSQL server of Debian's package, in a folder of its own, on a port of the loopback. */
export interface PostgresServer {
  readonly url: string
  /** Ends it at once, as a crash would, and starts it again. */
  restart(): Promise<void>
  stop(): Promise<void>
}

/** Debian's user of no rights: the server refuses to run as root. */
const NOBODY = 65534

/** Starts a server. */
export async function startPostgres(): Promise<PostgresServer> {
  const folder = mkdtempSync(join(tmpdir(), 'kairostat-postgres-'))
  const [data, programs, port] = [join(folder, 'data'), programsFolder(), await freePort()]
  chownSync(folder, NOBODY, NOBODY)
  const drop = [`--reuid=${NOBODY}`, `--regid=${NOBODY}`, '--clear-groups']
  const made = spawnSync(
    'setpriv',
    [
      ...drop,
      join(programs, 'initdb'),
      '-D',
      data,
      '-U',
      'postgres',
      '--auth=trust',
      '-E',
      'UTF8',
      '--no-sync',
    ],
    { encoding: 'utf8', env: { ...process.env, LC_ALL: 'C.UTF-8' } },
  )
  if (made.status !== 0) throw new Error(`initdb: ${made.stderr || made.error?.message}`)
  const url = `postgresql://postgres@127.0.0.1:${port}/postgres`
  const settings = [
    `port=${port}`,
    'listen_addresses=127.0.0.1',
    `unix_socket_directories=${folder}`,
    'fsync=off',
  ]
  let server: ChildProcess
  const start = async () => {
    const args = settings.flatMap((setting) => ['-c', setting])
    server = spawn('setpriv', [...drop, join(programs, 'postgres'), '-D', data, ...args], { stdio: 'ignore' })
    for (let tries = 0; ; tries++) {
      const client = new pg.Client(url)
      const error: unknown = await client.connect().then(
        () => null,
        (reason: unknown) => reason,
      )
      await client.end()
      if (!error) return
      if (tries > 150) throw error as Error
      await pause(100)
    }
  }
  const end = async () => {
    const ended = new Promise((resolve) => server.once('exit', resolve))
    // SIGQUIT: at once, connections are cut.
    server.kill('SIGQUIT')
    await ended
  }
  await start()
  return {
    url,
    restart: async () => {
      await end()
      await start()
    },
    stop: async () => {
      await end()
      rmSync(folder, { recursive: true, force: true })
    },
  }
}

/** The programs of the newest version that is installed. */
function programsFolder(): string {
  const versions = '/usr/lib/postgresql'
  const found = existsSync(versions) ? readdirSync(versions).sort((a, b) => Number(b) - Number(a)) : []
  if (found.length === 0) throw new Error('PostgreSQL is missing: install the package postgresql.')
  return join(versions, found[0]!, 'bin')
}

function freePort(): Promise<number> {
  return new Promise((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo
      server.close(() => resolve(port))
    })
  })
}
