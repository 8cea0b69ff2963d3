import type { Ruling } from './resolver.ts'

/** How many questions are known at most, and in how many places each of them may be: powers of two. */
const PLACES = 32_768
const WAYS = 8
/** The longest message that is kept, in bytes: whoever sends long ones fills no memory. */
export const LONG = 1500

/** What is known of a question, which is its message but for the id, as Latin-1: what an upstream answered it lately (Latin-1), at which millisecond and for how many seconds; and what was answered where it is closed, and why. */
export interface Known { readonly question: string, found: string, at: number, lives: number, closed: { readonly ruling: NonNullable<Ruling>, readonly answer: Buffer } | null }

/** Questions that came before. Each is in one of a few places beside each other, where one that comes later may take over: nothing grows, and to find nothing costs one look into the memory. */
export function questionsKnown(): { find(message: Buffer): Known | null, place(message: Buffer): Known | null } {
  const hashes = new Int32Array(PLACES)
  const all: (Known | null)[] = Array.from({ length: PLACES }, () => null)
  let turn = 0
  const find = (message: Buffer, hash: number) => {
    for (let way = 0, at = hash & PLACES - WAYS; way < WAYS; way++, at++) {
      if (hashes[at] === hash && all[at]!.question === message.toString('latin1', 2)) return all[at]!
    }
    return null
  }
  return {
    /** What is known of a question; `null` = nothing. */
    find: message => message.length > LONG ? null : find(message, hashOf(message)),
    /** The same, with a place for what is to be known of it; `null` = it is too long. */
    place: (message) => {
      if (message.length > LONG) return null
      const hash = hashOf(message)
      const there = find(message, hash)
      if (there) return there
      const first = hash & PLACES - WAYS
      let at = first
      while (at < first + WAYS && hashes[at] !== 0) at++
      if (at === first + WAYS) at = first + turn++ % WAYS
      hashes[at] = hash
      return all[at] = { question: message.toString('latin1', 2), found: '', at: 0, lives: 0, closed: null }
    },
  }
}

/** FNV-1a (32 bits) of a message without its id, with its higher bits in the lower; never 0. */
function hashOf(message: Buffer): number {
  let hash = 0x811C9DC5 | 0
  for (let at = 2; at < message.length; at++) hash = Math.imul(hash ^ message[at]!, 0x01000193)
  return (hash ^ hash >>> 15) || 1
}
