import { errorText } from '../../core/words/error-text.ts'
import { chmod, rm } from 'node:fs/promises'
import { createServer, type Server } from 'node:http'
import { join } from 'node:path'
import type { Logger } from 'pino'
import type { Database } from '../database/database.ts'
import { FIRST } from '../../protocol/places.ts'
import { record } from '../accounts/audit.ts'
import { makeBackup } from './backup.ts'
import { resetPassword } from '../accounts/sign-in.ts'

/**
 * The socket in a data folder by which programs of the same user ask a running Kairostat for what they cannot
 * do beside it.
 */
export const CONTROL_SOCKET = 'control.sock'
/** The longest path of a socket (`sun_path` in unix(7)). */
const MAX_PATH_CHARS = 100

/**
 * Listens to the command line of this machine: `POST /backup`, `POST /reset-password?name=…`. Nobody else can
 * open the socket.
 */
export async function listenToCommands(
  database: Database,
  folder: string,
  log: Logger,
): Promise<() => Promise<void>> {
  const path = join(folder, CONTROL_SOCKET)
  if (path.length > MAX_PATH_CHARS) return async () => {}
  await rm(path, { force: true })
  const sql = database.at(FIRST)
  const answer = async (url: URL): Promise<Buffer | string> => {
    if (url.pathname === '/backup') {
      await record(sql, 'export', 'Backup made')
      return makeBackup(database, folder)
    }
    if (url.pathname === '/reset-password') return resetPassword(sql, url.searchParams.get('name'))
    throw new Error(`There is no command ${url.pathname}.`)
  }
  const server: Server = createServer((request, response) => {
    answer(new URL(request.url ?? '/', 'http://control')).then(
      (body) => response.end(body),
      (error: unknown) => {
        log.warn(error, 'command')
        response.writeHead(400).end(errorText(error))
      },
    )
  })
  await new Promise<void>((resolve, reject) => server.once('error', reject).listen(path, resolve))
  await chmod(path, 0o600)
  return () =>
    new Promise((resolve) => {
      server.closeAllConnections()
      server.close(() => resolve())
    })
}
