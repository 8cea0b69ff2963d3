/** Which of some names a host name is, or lies under; `null` = none. */
export type NameSet = (host: string) => string | null

/**
 * Names made ready in flat memory, which threads can share; a million of 20 characters take 42 MB. Slot `s`
 * of the hash table holds the name with the number `indexes[s]`, whose characters are
 * `[ends[n - 1], ends[n])` of `texts`; a hash of 0 is an empty slot.
 */
export interface PackedNames {
  readonly hashes: Int32Array
  readonly indexes: Uint32Array
  /**
   * A bit for each of four times as many places says whether some name falls on it: it fits a cache, and most
   * names are in no list.
   */
  readonly seen: Uint8Array
  readonly texts: Uint8Array
  readonly ends: Uint32Array
}

/** Packs host names (ASCII form, lower case). */
export function packNames(names: readonly string[]): PackedNames {
  let capacity = 4
  while (capacity < names.length * 2) capacity *= 2
  const hashes = new Int32Array(capacity)
  const indexes = new Uint32Array(capacity)
  const seen = new Uint8Array(capacity / 2)
  const ends = new Uint32Array(names.length)
  const texts = new Uint8Array(names.reduce((length, name) => length + name.length, 0))
  let end = 0
  names.forEach((name, index) => {
    let hash = BASIS
    for (let at = name.length - 1; at >= 0; at--) {
      const code = name.charCodeAt(at)
      hash = Math.imul(hash ^ code, PRIME)
      texts[end + at] = code
    }
    end += name.length
    ends[index] = end
    let slot = slotOf(hash, capacity)
    while (hashes[slot] !== 0) slot = (slot + 1) & (capacity - 1)
    seen[seenAt(hash, capacity)]! |= 1 << (hash & 7)
    hashes[slot] = hash || 1
    indexes[slot] = index
  })
  return { hashes, indexes, seen, texts, ends }
}

/** The signs of JSON that are written, in ASCII. */
const [QUOTE, COMMA, OPEN, CLOSE] = [0x22, 0x2c, 0x5b, 0x5d] as const

/** The names that were packed as JSON: an array, in their order. */
export function namesText({ texts, ends }: PackedNames): string {
  const written = new Uint8Array(texts.length + 3 * ends.length + 1)
  written[0] = OPEN
  let at = 1
  let start = 0
  for (const end of ends) {
    written[at++] = QUOTE
    written.set(texts.subarray(start, end), at)
    at += end - start
    written[at++] = QUOTE
    written[at++] = COMMA
    start = end
  }
  // The last comma becomes the end.
  written[Math.max(1, at - 1)] = CLOSE
  return new TextDecoder().decode(written.subarray(0, Math.max(2, at)))
}

/**
 * The set of packed names. A look-up reads the name once from its end, and compares texts only where 32 bits
 * of their hash (FNV-1a over the characters from the last to the first) agree.
 */
export function nameSet({ hashes, indexes, seen, texts, ends }: PackedNames): NameSet {
  const capacity = hashes.length
  const nameAt = (host: string, from: number, hash: number) => {
    if ((seen[seenAt(hash, capacity)]! & (1 << (hash & 7))) === 0) return null
    for (let slot = slotOf(hash, capacity); hashes[slot] !== 0; slot = (slot + 1) & (capacity - 1)) {
      if (hashes[slot] === (hash || 1) && isText(host, from, indexes[slot]!))
        return from === 0 ? host : host.slice(from)
    }
    return null
  }
  const isText = (host: string, from: number, index: number) => {
    const start = index === 0 ? 0 : ends[index - 1]!
    const length = host.length - from
    if (ends[index]! - start !== length) return false
    for (let at = 0; at < length; at++) if (texts[start + at] !== host.charCodeAt(from + at)) return false
    return true
  }
  return (host) => {
    let hash = BASIS
    for (let at = host.length - 1; at >= 0; at--) {
      const code = host.charCodeAt(at)
      const name = code === DOT ? nameAt(host, at + 1, hash) : null
      if (name !== null) return name
      hash = Math.imul(hash ^ code, PRIME)
    }
    return nameAt(host, 0, hash)
  }
}

const slotOf = (hash: number, capacity: number) => (hash ^ (hash >>> 15)) & (capacity - 1)
const seenAt = (hash: number, capacity: number) => ((hash ^ (hash >>> 13)) >>> 3) & (capacity / 2 - 1)

/** FNV-1a's offset basis and prime for 32 bits. */
const BASIS = 0x811c9dc5 | 0
const PRIME = 0x01000193
const DOT = '.'.charCodeAt(0)
