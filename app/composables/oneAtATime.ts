/**
 * Makes a work that is never done twice at once: who asks while it is done gets it done once more afterwards,
 * so that an older answer never comes after a newer one.
 */
export function oneAtATime(work: () => Promise<void>): () => Promise<void> {
  let running: Promise<void> | null = null
  let isWantedAgain = false
  const run = async () => {
    try {
      do {
        isWantedAgain = false
        await work()
      } while (isWantedAgain)
    } finally {
      // In the same breath as the last look at what is wanted, so that nobody asks in vain.
      running = null
    }
  }
  return () => {
    isWantedAgain = true
    running ??= run()
    return running
  }
}
