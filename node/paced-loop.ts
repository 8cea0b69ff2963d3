/**
 * How a loop is paced, in milliseconds; `restFactor` = how many times its own work it rests afterwards at
 * least, and `mostMs` for how long at most.
 */
export interface Pace {
  readonly everyMs: number
  readonly restFactor: number
  readonly mostMs?: number
}

/**
 * Does a work again and again, the first time after `everyMs`: never twice at once, and the more seldom the
 * more computing time it takes (of the whole process, while it runs). It keeps no process alive.
 *
 * @param fault hears of each time that it failed; the loop goes on
 * @returns ends the loop; a work that is under way goes on to its end
 */
export function pacedLoop(
  pace: Pace,
  work: () => Promise<void>,
  fault: (error: unknown) => void,
): () => void {
  const { everyMs, restFactor, mostMs = Infinity } = pace
  let isStopped = false
  let timer: NodeJS.Timeout
  const next = (afterMs: number) => {
    timer = setTimeout(() => void turn(), afterMs)
    timer.unref()
  }
  const turn = async () => {
    const begun = process.cpuUsage()
    await work().catch(fault)
    const { user, system } = process.cpuUsage(begun)
    const workedMs = (user + system) / 1000
    if (!isStopped) next(Math.max(everyMs, Math.min(mostMs, workedMs * restFactor)))
  }
  next(everyMs)
  return () => {
    isStopped = true
    clearTimeout(timer)
  }
}
