import type { Ruling } from './ruling.ts'

/**
 * The most questions that are known, in how many places each of them may be (powers of two), and how many
 * bytes a place has, for the question and what was found for it: what is longer is asked for anew.
 */
const PLACES = 16_384
const WAYS = 8
export const ROOM = 512

/** The answer to a blocked question, and its reason. */
export interface Closed {
  readonly ruling: NonNullable<Ruling>
  readonly answer: Buffer
}

const NONE: readonly string[] = []

/** The cache of questions, each of which is its message but for the id. */
export interface Questions {
  /** The place of a question; -1 = nothing is known of it. */
  find(message: Buffer): number
  /** The same, with a place for what is to be known of it; -1 = it is too long. */
  place(message: Buffer): number
  /**
   * Keeps what was found for the question of a place at a millisecond, for so many seconds, with the names
   * that it leads to; where it is too long, nothing is kept.
   */
  keep(place: number, found: Buffer, at: number, lives: number, aliases: readonly string[]): void
  /**
   * For how many whole seconds it has been there at a millisecond; -1 = there is nothing, or it lives no
   * longer.
   */
  age(place: number, at: number): number
  /** A copy of what was found, which is there. */
  found(place: number): Buffer
  /** The names that what was found leads to. */
  readonly aliases: (readonly string[])[]
  /** The answer where it is blocked; `null` = none. */
  readonly closed: (Closed | null)[]
}

/**
 * Questions that came before. Each is in one of a few places beside each other, where one that comes later
 * may take over: nothing grows, to find nothing costs one look into the memory,
 * and the garbage collector has nothing to carry on.
 */
export function questionsKnown(): Questions {
  const hashes = new Int32Array(PLACES)
  const bytes = Buffer.alloc(PLACES * ROOM)
  const [questionLengths, foundLengths, lives, since] = [
    new Uint16Array(PLACES),
    new Uint16Array(PLACES),
    new Uint32Array(PLACES),
    new Float64Array(PLACES),
  ]
  const closed: (Closed | null)[] = Array.from({ length: PLACES }, () => null)
  const aliases: (readonly string[])[] = Array.from({ length: PLACES }, () => NONE)
  let turn = 0
  const isAt = (place: number, message: Buffer) => {
    if (questionLengths[place] !== message.length - 2) return false
    for (let at = 2, own = place * ROOM; at < message.length; at++, own++)
      if (bytes[own] !== message[at]) return false
    return true
  }
  const find = (message: Buffer, hash: number) => {
    for (let way = 0, at = hash & (PLACES - WAYS); way < WAYS; way++, at++)
      if (hashes[at] === hash && isAt(at, message)) return at
    return -1
  }
  return {
    closed,
    aliases,
    find: (message) => find(message, hashOf(message)),
    place: (message) => {
      if (message.length - 2 > ROOM) return -1
      const hash = hashOf(message)
      const there = find(message, hash)
      if (there >= 0) return there
      const first = hash & (PLACES - WAYS)
      let at = first
      while (at < first + WAYS && hashes[at] !== 0) at++
      if (at === first + WAYS) at = first + (turn++ % WAYS)
      hashes[at] = hash
      questionLengths[at] = message.copy(bytes, at * ROOM, 2)
      lives[at] = 0
      closed[at] = null
      return at
    },
    keep: (place, found, at, seconds, leadsTo) => {
      const fits = questionLengths[place]! + found.length <= ROOM
      lives[place] = fits ? seconds : 0
      if (!fits) return
      foundLengths[place] = found.copy(bytes, place * ROOM + questionLengths[place]!)
      since[place] = at
      aliases[place] = leadsTo
    },
    age: (place, at) => {
      const age = Math.floor((at - since[place]!) / 1000)
      return age < lives[place]! ? age : -1
    },
    found: (place) => {
      const start = place * ROOM + questionLengths[place]!
      return Buffer.from(bytes.subarray(start, start + foundLengths[place]!))
    },
  }
}

/** FNV-1a (32 bits) of a message without its id, with its higher bits in the lower; never 0. */
function hashOf(message: Buffer): number {
  let hash = 0x811c9dc5 | 0
  for (let at = 2; at < message.length; at++) hash = Math.imul(hash ^ message[at]!, 0x01000193)
  return hash ^ (hash >>> 15) || 1
}
