import type { Socket } from 'node:net'

/**
 * How many bytes of answers may wait for somebody who does not read, before no more of their questions are.
 */
const UNREAD = 64_000

/** A connection that carries messages with their lengths before them (RFC 1035, section 4.2.2). */
export interface Framed {
  send(message: Buffer): void
}

/**
 * Reads messages from a connection. One that is silent for `idle` milliseconds is closed; of one that does
 * not read what it is sent, nothing
 * more is read meanwhile, so that nothing piles up for it.
 */
export function framed(socket: Socket, idle: number, take: (message: Buffer) => void): Framed {
  let rest: Buffer = Buffer.alloc(0)
  socket.on('error', () => socket.destroy())
  socket.setTimeout(idle, () => socket.destroy())
  socket.on('drain', () => socket.resume())
  const readOn = () => {
    while (rest.length >= 2 && rest.length >= 2 + rest.readUInt16BE(0)) {
      const end = 2 + rest.readUInt16BE(0)
      // A copy: what takes it may write into it and keep it.
      const message = Buffer.from(rest.subarray(2, end))
      rest = rest.subarray(end)
      take(message)
    }
  }
  socket.on('data', (chunk: Buffer) => {
    rest = rest.length === 0 ? chunk : Buffer.concat([rest, chunk])
    readOn()
  })
  return {
    send: (message) => {
      if (!socket.writable) return
      socket.write(Buffer.concat([Buffer.from([message.length >> 8, message.length & 255]), message]))
      if (socket.writableLength > UNREAD) socket.pause()
    },
  }
}
