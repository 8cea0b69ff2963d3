import { createSocket } from 'node:dgram'
import { once } from 'node:events'
import { connect, isIP, type Socket } from 'node:net'
import { setImmediate } from 'node:timers/promises'
import { connect as connectTls } from 'node:tls'
import type { LogServer } from '../../protocol/syslog.ts'
import { syslogMessage, type LogMessage } from './syslog-message.ts'

/** The time that a server has to connect, or to take a message. */
const PATIENCE_MS = 10_000

/** The way to a log server; over TCP and TLS one connection for all messages. */
export class LogConnection {
  #socket: Socket | null = null

  constructor(private readonly server: Omit<LogServer, 'kinds'>) {}

  /**
   * Sends messages in their order. That they were taken, no transport of syslog says: what was under way when a
   * connection broke is lost.
   *
   * @throws Error where they cannot be sent, with the reason
   */
  async send(messages: readonly LogMessage[]): Promise<void> {
    if (this.server.transport === 'udp') return this.#sendDatagrams(messages)
    // A connection that the server ended is noticed before it is used.
    await setImmediate()
    this.#socket ??= await this.#open()
    const frames = messages.map((message) => {
      const bytes = syslogMessage(message, 'stream')
      return Buffer.concat([Buffer.from(`${bytes.length} `), bytes])
    })
    await this.#write(this.#socket, Buffer.concat(frames))
  }

  close(): void {
    this.#socket?.end()
    this.#socket = null
  }

  async #sendDatagrams(messages: readonly LogMessage[]): Promise<void> {
    const { host, port } = this.server
    const socket = createSocket({ type: isIP(host) === 6 ? 'udp6' : 'udp4' })
    try {
      for (const message of messages)
        await new Promise<void>((resolve, reject) =>
          socket.send(syslogMessage(message, 'datagram'), port, host, (error) =>
            error ? reject(error) : resolve(),
          ),
        )
    } finally {
      socket.close()
    }
  }

  async #open(): Promise<Socket> {
    const { host, port, transport, authority } = this.server
    const isTls = transport === 'tls'
    const socket = isTls
      ? connectTls({ host, port, servername: isIP(host) ? undefined : host, ca: authority || undefined })
      : connect({ host, port })
    // Data from the server is no part of syslog; it is read so that the end of the connection is noticed.
    socket.resume().setKeepAlive(true, 60_000)
    const forget = () => {
      if (this.#socket === socket) this.#socket = null
      socket.destroy()
    }
    socket.on('end', forget).on('close', forget).on('error', forget)
    try {
      await once(socket, isTls ? 'secureConnect' : 'connect', { signal: AbortSignal.timeout(PATIENCE_MS) })
    } catch (error) {
      forget()
      if ((error as Error).name === 'AbortError') throw new Error(`${host}:${port} did not answer in time.`)
      throw error
    }
    return socket
  }

  #write(socket: Socket, bytes: Buffer): Promise<void> {
    return new Promise((resolve, reject) => {
      const timer = setTimeout(() => {
        socket.destroy()
        reject(new Error('It did not take what was sent in time.'))
      }, PATIENCE_MS)
      socket.write(bytes, (error) => {
        clearTimeout(timer)
        if (error) reject(error)
        else resolve()
      })
    })
  }
}
