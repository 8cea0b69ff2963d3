/** Answers whether a host name, or any name above it, is among some names. */
export type NameSet = (host: string) => boolean

/**
 * Makes a set of host names (ASCII form, lower case) ready; a million take 16 MB besides their texts. A look-up reads the name once from its end, and compares
 * texts only where 32 bits of their hash (FNV-1a over the characters from the last to the first) agree.
 */
export function nameSet(names: readonly string[]): NameSet {
  let capacity = 4
  while (capacity < names.length * 2) capacity *= 2
  const hashes = new Uint32Array(capacity)
  // The name of each place, counted from 1; 0 = nothing there.
  const indexes = new Uint32Array(capacity)
  const place = (hash: number) => (hash ^ hash >>> 15) & capacity - 1
  names.forEach((name, index) => {
    let hash = BASIS
    for (let at = name.length - 1; at >= 0; at--) hash = Math.imul(hash ^ name.charCodeAt(at), PRIME)
    let slot = place(hash)
    while (indexes[slot] !== 0) slot = slot + 1 & capacity - 1
    hashes[slot] = hash
    indexes[slot] = index + 1
  })
  const isThere = (host: string, from: number, hash: number) => {
    for (let slot = place(hash); indexes[slot] !== 0; slot = slot + 1 & capacity - 1) {
      if (hashes[slot] !== hash >>> 0) continue
      const name = names[indexes[slot]! - 1]!
      if (name.length === host.length - from && host.endsWith(name)) return true
    }
    return false
  }
  return (host) => {
    let hash = BASIS
    for (let at = host.length - 1; at >= 0; at--) {
      const code = host.charCodeAt(at)
      if (code === DOT && isThere(host, at + 1, hash)) return true
      hash = Math.imul(hash ^ code, PRIME)
    }
    return isThere(host, 0, hash)
  }
}

/** FNV-1a's offset basis and prime for 32 bits. */
const BASIS = 0x811C9DC5
const PRIME = 0x01000193
const DOT = '.'.charCodeAt(0)
