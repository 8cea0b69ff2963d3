/**
 * Does some work every so many milliseconds, one turn at a time, until the function that comes back is called. The
 * first turn comes at a random time within them, so that the turns of many places are spread.
 */
export function repeat(ms: number, work: () => Promise<void>, failed: (error: unknown) => void): () => void {
  let timer = setTimeout(turn, Math.random() * ms)
  timer.unref()
  let isStopped = false
  function turn() {
    const begun = performance.now()
    work()
      .catch(failed)
      .finally(() => {
        if (isStopped) return
        timer = setTimeout(turn, Math.max(0, ms - (performance.now() - begun)))
        timer.unref()
      })
  }
  return () => {
    isStopped = true
    clearTimeout(timer)
  }
}
