/**
 * Makes a place where works are done one after the other, in the order in which they came; one that fails
 * does not hold up the next.
 */
export function serialQueue(): <T>(work: () => Promise<T>) => Promise<T> {
  let last: Promise<unknown> = Promise.resolve()
  return (work) => {
    const turn = last.then(work)
    last = turn.catch(() => {})
    return turn
  }
}
