import { createSocket, type Socket as UdpSocket } from 'node:dgram'

/**
 * Sends what a turn of the event loop brought together at its end: who gets it is woken once, not for each,
 * which is most of what sending costs.
 */
export function batch<T>(send: (one: T) => void): (one: T) => void {
  let waiting: T[] = []
  const flush = () => {
    const all = waiting
    waiting = []
    for (const one of all) send(one)
  }
  return (one) => {
    if (waiting.push(one) === 1) setImmediate(flush)
  }
}

/** A socket that sends to addresses alone: nothing is looked up for it. */
export function udpSocket(type: 'udp4' | 'udp6', ipv6Only = type === 'udp6'): UdpSocket {
  const version = type === 'udp6' ? 6 : 4
  return createSocket({ type, ipv6Only, lookup: (host, _options, done) => done(null, host, version) })
}
