import { once } from 'node:events'
import type { AddressInfo } from 'node:net'
import ssh2, { type Connection, type ServerChannel } from 'ssh2'
import { newKeys } from '../../gateway/planes/linux/ssh/via.ts'

/** An SSH server on loopback that lets everybody in. */
export interface SshShell {
  readonly port: number
  /** The number of connections. */
  readonly connected: () => number
  stop(): void
}

/** Starts one that answers each command by a function. */
export async function startSshShell(
  answer: (channel: ServerChannel, command: string, connection: Connection) => void,
): Promise<SshShell> {
  const open = new Set<Connection>()
  const server = new ssh2.Server({ hostKeys: [newKeys().private] }, (connection) => {
    open.add(connection)
    connection.on('error', () => {}).once('close', () => open.delete(connection))
    connection.on('authentication', (asked) => asked.accept())
    connection.on('session', (accept) => {
      // It takes what it is given, else it has no end.
      accept().on('exec', (acceptExec, _reject, { command }) =>
        answer(acceptExec().resume(), command, connection),
      )
    })
  })
  server.listen(0, '127.0.0.1')
  await once(server, 'listening')
  return {
    port: (server.address() as AddressInfo).port,
    connected: () => open.size,
    stop: () => void server.close(),
  }
}
