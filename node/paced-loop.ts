/** The pace of a loop. */
export interface Pace {
  /** The least time between the end of a turn and the next. */
  readonly everyMs: number
  /** The rest after a turn, at least, as a multiple of its computing time; 0 where it is missing. */
  readonly restFactor?: number
  /** The longest such rest. */
  readonly maxRestMs?: number
  /**
   * Whether the first turn comes at a random time within `everyMs`, so that the loops of many places are
   * spread.
   */
  readonly isSpread?: boolean
}

/**
 * Repeats a work, never twice at once, and rests longer the more computing time it takes (of the whole
 * process, while it runs). `fault` hears of each turn that failed, and the loop goes on. It keeps no process
 * alive.
 *
 * @returns ends the loop; a turn that is under way goes on to its end
 */
export function pacedLoop(
  { everyMs, restFactor = 0, maxRestMs = Infinity, isSpread = false }: Pace,
  work: () => Promise<void>,
  fault: (error: unknown) => void,
): () => void {
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
    if (!isStopped) next(Math.max(everyMs, Math.min(maxRestMs, workedMs * restFactor)))
  }
  next(isSpread ? Math.random() * everyMs : everyMs)
  return () => {
    isStopped = true
    clearTimeout(timer)
  }
}
