import { spawn, type ChildProcess } from 'node:child_process'
import { SYSTEM } from './nft.ts'

/** How soon after the kernel told of something it is looked at, and how soon a watch that ended begins again, in milliseconds. */
const SOON = 20
const AGAIN = 1000

/** Listens to what is taken out of the packet filter, by whomever, and calls `taken` soon after, once for what comes together, until the function that comes back is called. */
export function watchTaken(taken: () => void, fault: (error: unknown) => void): () => void {
  let monitor: ChildProcess | undefined
  let heard: NodeJS.Timeout | undefined
  let stopped = false
  const listen = () => {
    monitor = spawn('nft', ['monitor', 'destroy'], { env: SYSTEM, stdio: ['ignore', 'pipe', 'ignore'] })
    monitor.stdout!.on('data', () => {
      heard ??= setTimeout(() => {
        heard = undefined
        taken()
      }, SOON)
    })
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
