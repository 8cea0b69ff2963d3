/** Answers which of some names a host name is, or lies under; `null` = none. */
export type NameSet = (host: string) => string | null

/**
 * Makes a set of host names (ASCII form, lower case) ready; a million take 18 MB besides their texts. A look-up reads the name once from its end, and compares
 * texts only where 32 bits of their hash (FNV-1a over the characters from the last to the first) agree.
 */
export function nameSet(names: readonly string[]): NameSet {
  let capacity = 4
  while (capacity < names.length * 2) capacity *= 2
  // 0 = nothing there, so that a look mostly ends in one place of the memory.
  const hashes = new Int32Array(capacity)
  const indexes = new Uint32Array(capacity)
  // A bit for each of four times as many places says whether some name falls on it: it fits a cache, and most names are in no list.
  const seen = new Uint8Array(capacity / 2)
  const byte = (hash: number) => (hash ^ hash >>> 13) >>> 3 & capacity / 2 - 1
  const place = (hash: number) => (hash ^ hash >>> 15) & capacity - 1
  names.forEach((name, index) => {
    let hash = BASIS
    for (let at = name.length - 1; at >= 0; at--) hash = Math.imul(hash ^ name.charCodeAt(at), PRIME)
    let slot = place(hash)
    while (hashes[slot] !== 0) slot = slot + 1 & capacity - 1
    seen[byte(hash)]! |= 1 << (hash & 7)
    hashes[slot] = hash || 1
    indexes[slot] = index
  })
  const nameAt = (host: string, from: number, hash: number) => {
    if ((seen[byte(hash)]! & 1 << (hash & 7)) === 0) return null
    for (let slot = place(hash); hashes[slot] !== 0; slot = slot + 1 & capacity - 1) {
      if (hashes[slot] !== (hash || 1)) continue
      const name = names[indexes[slot]!]!
      if (name.length === host.length - from && host.endsWith(name)) return name
    }
    return null
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

/** FNV-1a's offset basis and prime for 32 bits. */
const BASIS = 0x811C9DC5 | 0
const PRIME = 0x01000193
const DOT = '.'.charCodeAt(0)
