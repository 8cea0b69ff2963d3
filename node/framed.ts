import type { Socket } from 'node:net'

/**
 * The bytes of answers that may wait for a client that does not read, before no more of its questions are.
 */
const UNREAD = 64_000

/** A connection that carries messages with their lengths before them (RFC 1035, section 4.2.2). */
export interface Framed {
  send(message: Buffer): void
}

/**
 * Reads messages from a connection. One that is silent for `idle` milliseconds is closed. While a message is
 * taken, and of one that does not read what it is sent, nothing more is read, so that nothing piles up.
 *
 * @param take never fails
 */
export function framed(
  socket: Socket,
  idle: number,
  take: (message: Buffer) => Promise<void> | void,
): Framed {
  let rest: Buffer = Buffer.alloc(0)
  let isTaking = false
  const isHeld = () => isTaking || socket.writableLength > UNREAD
  const readOn = () => {
    while (!isHeld() && rest.length >= 2 && rest.length >= 2 + rest.readUInt16BE(0)) {
      const end = 2 + rest.readUInt16BE(0)
      // A copy: what takes it may write into it and keep it.
      const message = Buffer.from(rest.subarray(2, end))
      rest = rest.subarray(end)
      const taken = take(message)
      if (!taken) continue
      isTaking = true
      void taken.then(() => {
        isTaking = false
        readOn()
      })
    }
    if (isHeld()) socket.pause()
    else socket.resume()
  }
  socket.on('error', () => socket.destroy())
  socket.setTimeout(idle, () => socket.destroy())
  socket.on('drain', readOn)
  socket.on('data', (chunk: Buffer) => {
    rest = rest.length === 0 ? chunk : Buffer.concat([rest, chunk])
    readOn()
  })
  return {
    send: (message) => {
      if (!socket.writable) return
      socket.write(Buffer.concat([Buffer.from([message.length >> 8, message.length & 255]), message]))
    },
  }
}
