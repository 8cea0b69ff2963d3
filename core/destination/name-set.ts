/** Finds the name of a set that a host name is, or lies under; `null` = none. */
export type NameSet = (host: string) => string | null

/**
 * Names made ready in flat memory, which threads can share; a million of 20 characters take 31 MB. A slot of
 * the hash table holds where the text of a name begins in `texts`, or 0 where it is empty: there a byte says
 * how long the name is, and its characters (ASCII) follow, name after name in their order.
 */
export interface PackedNames {
  readonly slots: Uint32Array
  /**
   * A bit for each of four times as many places says whether some name falls on it: it fits a cache, and most
   * names are in no list.
   */
  readonly seen: Uint8Array
  readonly texts: Uint8Array
  /** The number of names. */
  readonly count: number
}

/** Packs host names (ASCII form, lower case, 255 characters at most). */
export function packNames(names: readonly string[]): PackedNames {
  let capacity = 4
  while (capacity < names.length * 2) capacity *= 2
  const slots = new Uint32Array(capacity)
  const seen = new Uint8Array(capacity / 2)
  // The first byte is none: no name begins at 0.
  const texts = new Uint8Array(names.reduce((length, name) => length + 1 + name.length, 1))
  let begin = 1
  for (const name of names) {
    texts[begin] = name.length
    let hash = BASIS
    for (let at = name.length - 1; at >= 0; at--) {
      const code = name.charCodeAt(at)
      hash = Math.imul(hash ^ code, PRIME)
      texts[begin + 1 + at] = code
    }
    let slot = slotOf(hash, capacity)
    while (slots[slot] !== 0) slot = (slot + 1) & (capacity - 1)
    seen[seenAt(hash, capacity)]! |= 1 << (hash & 7)
    slots[slot] = begin
    begin += 1 + name.length
  }
  return { slots, seen, texts, count: names.length }
}

/** The signs of JSON that are written, in ASCII. */
const [QUOTE, COMMA, OPEN, CLOSE] = [0x22, 0x2c, 0x5b, 0x5d] as const

/** The names that were packed as JSON: an array, in their order. */
export function namesText({ texts, count }: PackedNames): string {
  const written = new Uint8Array(texts.length + 2 * count + 1)
  written[0] = OPEN
  let at = 1
  for (let begin = 1; begin < texts.length;) {
    const end = begin + 1 + texts[begin]!
    written[at++] = QUOTE
    written.set(texts.subarray(begin + 1, end), at)
    at += end - begin - 1
    written[at++] = QUOTE
    written[at++] = COMMA
    begin = end
  }
  // The last comma becomes the end.
  written[Math.max(1, at - 1)] = CLOSE
  return new TextDecoder().decode(written.subarray(0, Math.max(2, at)))
}

/**
 * The set of packed names. A look-up reads the name once from its end, and compares texts only where the hash
 * (FNV-1a of 32 bits over the characters from the last to the first) leads to one.
 */
export function nameSet({ slots, seen, texts }: PackedNames): NameSet {
  const capacity = slots.length
  const nameAt = (host: string, from: number, hash: number) => {
    if ((seen[seenAt(hash, capacity)]! & (1 << (hash & 7))) === 0) return null
    for (let slot = slotOf(hash, capacity); slots[slot] !== 0; slot = (slot + 1) & (capacity - 1))
      if (isText(host, from, slots[slot]!)) return from === 0 ? host : host.slice(from)
    return null
  }
  const isText = (host: string, from: number, begin: number) => {
    const length = host.length - from
    if (texts[begin] !== length) return false
    for (let at = 0; at < length; at++) if (texts[begin + 1 + at] !== host.charCodeAt(from + at)) return false
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
