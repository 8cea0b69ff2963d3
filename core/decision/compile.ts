import type { Policy } from '../policy/types.ts'
import type { Hours } from '../time/schedule.ts'
import { candidatesOf, hoursLookup, schedulesOf, type Candidate } from './candidate.ts'
import { shieldedStanding, standingOf, type Standing } from './standing.ts'

/** Whose standing is asked: a device of the policy, or the MAC address of a newcomer; the other of the two is `null`. */
export interface Subject { readonly device: string | null, readonly mac: string | null }

/**
 * A policy made ready for questions. Sets of candidates are bit masks of `words` 32-bit words: bit `i` of word `w` stands for candidate
 * `32 w + i`, so that the lowest bit decides first.
 */
export interface Compiled {
  readonly policy: Policy
  readonly zone: string
  readonly candidates: readonly Candidate[]
  readonly schedules: ReadonlyMap<string, Hours>
  readonly words: number
  /** The candidates that speak of the internet as a whole. */
  readonly internet: Uint32Array
  /** The candidates that are in force at every instant. */
  readonly steady: Uint32Array
  /** The candidates that include each device; the empty key is any newcomer. A shielded device has none. Devices with the same candidates share one mask. */
  readonly includes: ReadonlyMap<string, Uint32Array>
  readonly shielded: ReadonlySet<string>
  readonly deviceOfMac: ReadonlyMap<string, string>
  /** What masks of clauses mean, as far as it was asked, by a hash of the mask. */
  readonly standings: Map<number, { readonly mask: Uint32Array, readonly standing: Standing }[]>
}

const NEWCOMER = ''

const ready = new WeakMap<Policy, Compiled>()
/** The same policy made ready once, however often it is asked for. */
export function compiledOf(policy: Policy): Compiled {
  return ready.get(policy) ?? ready.set(policy, compile(policy)).get(policy)!
}

/** Makes a policy ready for questions; costs about one probe per rule and device that it names. With `logging`, rules that are only logged are among the clauses, where they decide nothing: for what enforces it. */
export function compile(policy: Policy, logging = false): Compiled {
  const candidates = candidatesOf(policy, logging)
  const words = Math.max(1, Math.ceil(candidates.length / 32))
  const maskWhere = (test: (candidate: Candidate) => boolean) => {
    const mask = new Uint32Array(words)
    candidates.forEach((candidate, index) => {
      if (test(candidate)) mask[index >>> 5]! |= 1 << (index & 31)
    })
    return mask
  }
  const own = new Map(policy.devices.map(({ id }) => [id, new Uint32Array(words)]))
  const shielded = new Set(policy.devices.filter(device => device.shielded).map(({ id }) => id))
  candidates.forEach((candidate, index) => {
    for (const id of candidate.named ?? own.keys()) {
      if (candidate.includes(id) && !shielded.has(id)) own.get(id)![index >>> 5]! |= 1 << (index & 31)
    }
  })
  own.set(NEWCOMER, maskWhere(candidate => candidate.includes(null)))
  const masks = new Map<string, Uint32Array>()
  const includes = new Map([...own].map(([id, mask]) => {
    const key = mask.join()
    return [id, masks.get(key) ?? masks.set(key, mask).get(key)!]
  }))
  return {
    policy, zone: policy.place.timeZone, candidates, words, includes, shielded,
    schedules: schedulesOf(policy),
    internet: maskWhere(candidate => candidate.internet),
    steady: maskWhere(candidate => candidate.steady),
    deviceOfMac: new Map(policy.devices.flatMap(device => device.adapters.map(({ mac }): [string, string] => [mac, device.id]))),
    standings: new Map(),
  }
}

/** Every device of the policy, in its order. */
export function everyDevice({ policy }: Compiled): readonly Subject[] {
  return policy.devices.map(({ id }) => ({ device: id, mac: null }))
}

/** Who a MAC address (lower case, colons) is: the device that has it, or a newcomer. */
export function subjectOfMac({ deviceOfMac }: Compiled, mac: string): Subject {
  const device = deviceOfMac.get(mac)
  return device === undefined ? { device: null, mac } : { device, mac: null }
}

/** The candidates that include the subject. */
export function maskOf(compiled: Compiled, subject: Subject): Uint32Array {
  const mask = compiled.includes.get(subject.device ?? NEWCOMER)
  if (!mask) throw new RangeError(`The policy has no device "${subject.device}".`)
  return mask
}

/** The pieces of `[from, until)` within which the same candidates are in force: piece `i` is `[edges[i], edges[i + 1])` with the mask at `masks[i * words]`. */
export interface Pieces { readonly edges: readonly number[], readonly masks: Uint32Array, readonly words: number }

/** Cuts `[from, until)` (seconds) at every instant at which some candidate that is in one of the masks comes into force or goes out of it; the others are in no piece. */
export function piecesOf(compiled: Compiled, masks: Iterable<Uint32Array>, from: number, until: number): Pieces {
  const { words } = compiled
  const asked = new Uint32Array(words)
  for (const mask of masks) mask.forEach((word, index) => asked[index]! |= word)
  const hours = hoursLookup(compiled.schedules, compiled.zone, from, until)
  const inForce = compiled.candidates.map((candidate, index) => isIn(asked, index) ? candidate.inForce(from, until, hours) : [])
  const edges = [...new Set([from, until, ...inForce.flatMap(ranges => ranges.flatMap(range => [range.from, range.until]))])].sort((a, b) => a - b)
  const pieceAt = new Map(edges.map((edge, index) => [edge, index]))
  const inPieces = new Uint32Array((edges.length - 1) * words)
  inForce.forEach((ranges, index) => {
    for (const range of ranges) {
      const end = pieceAt.get(range.until)!
      for (let piece = pieceAt.get(range.from)!; piece < end; piece++) inPieces[piece * words + (index >>> 5)]! |= 1 << (index & 31)
    }
  })
  return { edges, masks: inPieces, words }
}

/** Writes the clauses of a device in a piece into `into`: the candidates that include it and are in force, cut after the first on the internet. */
export function clauseMask(compiled: Compiled, includes: Uint32Array, pieces: Pieces, piece: number, into: Uint32Array): void {
  const { words, internet } = compiled
  let ended = false
  for (let word = 0; word < words; word++) {
    const clauses: number = ended ? 0 : includes[word]! & pieces.masks[piece * words + word]!
    const onInternet: number = clauses & internet[word]!
    const first = onInternet & -onInternet
    into[word] = onInternet === 0 ? clauses : clauses & ((first << 1) - 1)
    ended ||= onInternet !== 0
  }
}

/** The candidates of a mask, in the order in which they decide. */
export function candidatesIn(compiled: Compiled, mask: Uint32Array): Candidate[] {
  return compiled.candidates.filter((_, index) => isIn(mask, index))
}

const isIn = (mask: Uint32Array, index: number) => (mask[index >>> 5]! & (1 << (index & 31))) !== 0

/** The standing that a clause mask means for a subject; equal masks share one object. */
export function standingIn(compiled: Compiled, subject: Subject, mask: Uint32Array): Standing {
  if (subject.device !== null && compiled.shielded.has(subject.device)) return shieldedStanding(subject.device)
  // Asked for every segment: a text of the mask as the key would cost more than all the rest.
  let hash = 0
  for (const word of mask) hash = Math.imul(hash ^ word, 0x9e3779b1) ^ hash >>> 15
  const alike = compiled.standings.get(hash) ?? compiled.standings.set(hash, []).get(hash)!
  const known = alike.find(one => one.mask.every((word, index) => word === mask[index]))
  if (known) return known.standing
  const standing = standingOf(candidatesIn(compiled, mask))
  alike.push({ mask: mask.slice(), standing })
  return standing
}
