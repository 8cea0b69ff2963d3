import { spawn, type ChildProcess } from 'node:child_process'
import { SYSTEM } from './nft.ts'

/**
 * How soon after the kernel told of something it is looked at, and how soon a watch that ended begins again,
 * in milliseconds.
 */
const SOON = 20
const AGAIN = 1000

/**
 * Listens to what is taken out of the packet filter, by whomever, and calls `taken` soon after, until the
 * function that comes back is called. What comes until it is done is told afterwards, once:
 * a large table that is replaced is told line by line for seconds.
 */
export function watchTaken(taken: () => Promise<void>, fault: (error: unknown) => void): () => void {
  let monitor: ChildProcess | undefined
  let heard: NodeJS.Timeout | undefined
  let [telling, more, stopped] = [false, false, false]
  const tell = async () => {
    heard = undefined
    telling = true
    more = false
    await taken()
    telling = false
    if (more) hear()
  }
  const hear = () => {
    more = true
    if (!telling && !stopped) heard ??= setTimeout(() => void tell(), SOON)
  }
  const listen = () => {
    monitor = spawn('nft', ['monitor', 'destroy'], { env: SYSTEM, stdio: ['ignore', 'pipe', 'ignore'] })
    monitor.stdout!.on('data', hear)
    monitor.once('close', () => {
      if (!stopped) setTimeout(listen, AGAIN).unref()
    })
    monitor.once('error', fault)
  }
  listen()
  return () => {
    stopped = true
    clearTimeout(heard)
    monitor?.kill()
  }
}
