import { setTimeout as pause } from 'node:timers/promises'
import ssh2, { type Connection, type ServerChannel } from 'ssh2'
import { afterEach, beforeEach, expect, test } from 'vitest'
import { startSshShell, type SshShell } from '../../../../tests/support/ssh-shell.ts'
import { SshSystem } from './ssh-system.ts'
import { AwayFault } from '../system.ts'
import { newKeys } from './via.ts'

let server: SshShell
let system: SshSystem
/** The commands that run at the server, and the most that ever ran at once. */
let running: number
let most: number
/** The server's handler of commands. */
let answer: (channel: ServerChannel, connection: Connection) => void

beforeEach(async () => {
  ;[running, most] = [0, 0]
  server = await startSshShell((channel, _command, connection) => {
    running++
    most = Math.max(most, running)
    channel.once('close', () => running--)
    answer(channel, connection)
  })
  system = new SshSystem({
    host: '127.0.0.1',
    port: server.port,
    user: 'root',
    proof: { privateKey: newKeys().private },
    isTrusted: () => true,
    keyLine: '',
    hostKeyFile: '',
  })
})
afterEach(() => {
  system.stop()
  server.stop()
})

test('every key that is made can be read', () => {
  const unread = Array.from({ length: 1000 }, newKeys).filter(
    (keys) => ssh2.utils.parseKey(keys.private) instanceof Error,
  )
  expect(unread).toEqual([])
})

test('one command runs at a time, beside those that are followed', async () => {
  answer = async (channel) => {
    await pause(5)
    channel.write('done')
    channel.exit(0)
    channel.end()
  }
  const ends = await Promise.all(Array.from({ length: 10 }, () => system.run('true', [])))
  expect([ends, most]).toEqual([Array(10).fill('done'), 1])
  answer = (channel) => channel.write('up')
  await new Promise<void>((heard) => system.follow('ip', ['monitor'], heard, () => {}))
  answer = (channel) => {
    channel.exit(0)
    channel.end()
  }
  expect([await system.run('true', []), most]).toEqual(['', 2])
})

test('a connection that breaks in the midst of a command is told, and the next command has another', async () => {
  let said: number
  for (said = 0; said < 30; said++) {
    // It has said nothing, a part, or more than is taken at once.
    const part = Buffer.alloc([0, 10, 3_000_000][said % 3]!)
    answer = async (channel, connection) => {
      if (part.length > 0) channel.write(part)
      await pause(said % 4)
      ;(connection as unknown as { _sock: { destroy(): void } })._sock.destroy()
    }
    await expect(system.run('nft', ['list', 'ruleset'], 'x'.repeat(said * 100))).rejects.toThrow(AwayFault)
  }
  answer = (channel) => {
    channel.exit(0)
    channel.end('again')
  }
  expect([await system.run('true', []), said]).toEqual(['again', 30])
})
