import { randomFillSync } from 'node:crypto'

/** Gives random bytes out of a pool: each alone would cost more than the rest of a look-up. */
function randomBytes(): () => number {
  const pool = Buffer.alloc(8192)
  let at = pool.length
  return () => {
    if (at === pool.length) {
      randomFillSync(pool)
      at = 0
    }
    return pool[at++]!
  }
}

/** A random byte. */
export const randomByte = randomBytes()
/** A random number of 16 bits. */
export const randomNumber = () => (randomByte() << 8) | randomByte()
