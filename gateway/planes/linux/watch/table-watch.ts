import type { RouterSystem } from '../system.ts'

/** The command that reports everything that is removed from the packet filter. */
export const MONITOR: readonly [command: string, args: readonly string[]] = ['nft', ['monitor', 'destroy']]

/** The time between a report of the kernel and the look at it. */
const LOOK_AFTER_MS = 20

/**
 * Listens to what is taken out of the packet filter, by whomever, and calls `taken` soon after. What comes
 * until it is done is told afterwards, once: a large table that is replaced is told line by line for seconds.
 *
 * @param taken never fails
 * @returns ends the watch
 */
export function watchTaken(
  system: RouterSystem,
  taken: () => Promise<void>,
  fault: (error: unknown) => void,
): () => void {
  let timer: NodeJS.Timeout | undefined
  let isTelling = false
  let isHeardMeanwhile = false
  let isStopped = false
  const tell = async () => {
    timer = undefined
    isTelling = true
    isHeardMeanwhile = false
    await taken()
    isTelling = false
    if (isHeardMeanwhile) heard()
  }
  const heard = () => {
    isHeardMeanwhile = true
    if (!isTelling && !isStopped) timer ??= setTimeout(() => void tell(), LOOK_AFTER_MS)
  }
  const unfollow = system.follow(...MONITOR, heard, fault)
  return () => {
    isStopped = true
    clearTimeout(timer)
    unfollow()
  }
}
