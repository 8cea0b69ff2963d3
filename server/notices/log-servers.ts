import { randomBytes } from 'node:crypto'
import type { LogServer, LogServerAnswer } from '../../protocol/syslog.ts'
import { addLogServer, logServers, removeLogServer } from './log-server-sql.ts'
import { place } from '../database/place-sql.ts'
import type { Sql } from '../database/database.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'
import { LogConnection } from './log-connection.ts'
import { reachWords } from '../../node/reach-words.ts'

/** The log servers, and why the last messages could not be sent to one. */
export function logServersAnswer(sql: Sql): Promise<LogServerAnswer[]> {
  return logServers(sql)
}

/** Adds a log server. */
export async function makeLogServer(sql: Sql, server: LogServer, author: string): Promise<{ id: string }> {
  const id = randomBytes(6).toString('hex')
  await sql.transaction(async (tx) => {
    await addLogServer(tx, server, { id, author })
    await record(tx, 'settings', `Log server added: ${nameOf(server)}, told of: ${server.kinds.join(', ')}`)
  })
  return { id }
}

/**
 * Deletes a log server.
 *
 * @throws ApiError `not-found`
 */
export async function deleteLogServer(sql: Sql, id: string): Promise<void> {
  await sql.transaction(async (tx) => {
    const server = await removeLogServer(tx, id)
    if (!server) throw gone()
    await record(tx, 'settings', `Log server deleted: ${nameOf(server)}`)
  })
}

/**
 * Sends a test message to a log server.
 *
 * @throws ApiError `not-found`, `not-sent` with the reason
 */
export async function tryLogServer(sql: Sql, id: string): Promise<void> {
  const server = (await logServers(sql)).find((one) => one.id === id)
  if (!server) throw gone()
  const name = (await place(sql))?.name ?? ''
  const connection = new LogConnection(server)
  const at = new Date().toISOString()
  try {
    await connection.send([
      { kind: 'test', at, severity: 'info', words: 'A test message of Kairostat', facts: { place: name } },
    ])
  } catch (error) {
    throw new ApiError('not-sent', `${reachWords(error)}.`)
  } finally {
    connection.close()
  }
}

const nameOf = ({ transport, host, port }: LogServer) => `${host}:${port} over ${transport.toUpperCase()}`
const gone = () => new ApiError('not-found', 'That log server was deleted already.')
