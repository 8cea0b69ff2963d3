/** Does some work every so many milliseconds, one turn at a time, until the function that comes back is called. */
export function repeat(ms: number, work: () => Promise<void>, failed: (error: unknown) => void): () => void {
  let isBusy = false
  const timer = setInterval(() => {
    if (isBusy) return
    isBusy = true
    work()
      .catch(failed)
      .finally(() => (isBusy = false))
  }, ms)
  timer.unref()
  return () => clearInterval(timer)
}
