import type { Policy } from '../policy/types.ts'
import type { Hours } from '../time/schedule.ts'
import { candidatesOf, hoursLookup, schedulesOf, type Candidate } from './candidate.ts'
import { ANY_NEWCOMER, deviceSubject, type Subject } from './subject.ts'
import { shieldedStanding, standingOf, type Standing, type State } from './standing.ts'

/**
 * A policy made ready for questions. Sets of candidates are bit masks of `maskWords` 32-bit words: bit `i` of
 * word `w` stands for candidate
 * `32 w + i`, so that the lowest bit decides first.
 */
export interface Compiled {
  readonly policy: Policy
  readonly zone: string
  readonly candidates: readonly Candidate[]
  readonly schedules: ReadonlyMap<string, Hours>
  readonly maskWords: number
  /** The candidates that cover the internet as a whole. */
  readonly internet: Uint32Array
  /** The candidates that are in force at every instant. */
  readonly alwaysActive: Uint32Array
  /** The candidates that decide and block, and those that decide and allow. */
  readonly blocks: Uint32Array
  readonly allows: Uint32Array
  /**
   * The candidates that include each device in no network; the empty key is any unknown device. A shielded
   * device has none.
   */
  readonly includes: ReadonlyMap<string, Uint32Array>
  /** Equal masks of candidates are one object, by their words. */
  readonly masks: Map<string, Uint32Array>
  /**
   * The candidates of those who are in a network or named by their address, as far as they were asked for.
   */
  readonly others: Map<string, Uint32Array>
  /** Addresses of unknown devices that some override names, or that used an allowance up. */
  readonly namedMacs: ReadonlySet<string>
  readonly shielded: ReadonlySet<string>
  readonly deviceOfMac: ReadonlyMap<string, string>
  /** The meanings of masks of clauses that were asked for, by a hash of the mask. */
  readonly standings: Map<number, { readonly mask: Uint32Array; readonly standing: Standing }[]>
}

const NEWCOMER = ''

const [ready, readyToLog] = [new WeakMap<Policy, Compiled>(), new WeakMap<Policy, Compiled>()]
/** The same policy made ready once, as `compile` does, however often it is asked for. */
export function compiledOf(policy: Policy, logging = false): Compiled {
  const known = logging ? readyToLog : ready
  return known.get(policy) ?? known.set(policy, compile(policy, logging)).get(policy)!
}

/**
 * Makes a policy ready for questions; costs about one probe per rule and device that it names. With
 * `logging`, rules that are only logged are among the clauses, where they decide nothing: for what enforces
 * it.
 */
export function compile(policy: Policy, logging = false): Compiled {
  const candidates = candidatesOf(policy, logging)
  const maskWords = Math.max(1, Math.ceil(candidates.length / 32))
  const maskWhere = (test: (candidate: Candidate) => boolean) => {
    const mask = new Uint32Array(maskWords)
    candidates.forEach((candidate, index) => {
      if (test(candidate)) mask[index >>> 5]! |= 1 << (index & 31)
    })
    return mask
  }
  const masksOf = new Map(policy.devices.map(({ id }) => [id, new Uint32Array(maskWords)]))
  const shielded = new Set(policy.devices.filter((device) => device.shielded).map(({ id }) => id))
  candidates.forEach((candidate, index) => {
    for (const id of candidate.named ?? masksOf.keys()) {
      const mask = masksOf.get(id)
      if (mask && candidate.includes(deviceSubject(id)) && !shielded.has(id))
        mask[index >>> 5]! |= 1 << (index & 31)
    }
  })
  masksOf.set(
    NEWCOMER,
    maskWhere((candidate) => candidate.includes(ANY_NEWCOMER)),
  )
  const masks = new Map<string, Uint32Array>()
  const includes = new Map([...masksOf].map(([id, mask]) => [id, shared(masks, mask)]))
  const deviceOfMac = new Map(
    policy.devices.flatMap((device) => device.adapters.map(({ mac }): [string, string] => [mac, device.id])),
  )
  const decides = (effect: Candidate['effect']) =>
    maskWhere((candidate) => !candidate.logs && candidate.effect === effect)
  return {
    policy,
    zone: policy.place.timeZone,
    candidates,
    maskWords,
    includes,
    shielded,
    masks,
    deviceOfMac,
    blocks: decides('block'),
    allows: decides('allow'),
    others: new Map(),
    namedMacs: new Set(
      [
        ...policy.overrides.flatMap(({ who }) => who.macs),
        ...policy.spent.flatMap(({ mac }) => mac ?? []),
      ].filter((mac) => !deviceOfMac.has(mac)),
    ),
    schedules: schedulesOf(policy),
    internet: maskWhere((candidate) => candidate.internet),
    alwaysActive: maskWhere((candidate) => candidate.alwaysActive),
    standings: new Map(),
  }
}

/** Every device of the policy, in its order. */
export function everyDevice({ policy }: Compiled): readonly Subject[] {
  return policy.devices.map(({ id }) => deviceSubject(id))
}

/**
 * Returns the subject of a MAC address (lower case, colons) in a network: the device that has it, or a
 * newcomer.
 */
export function subjectOfMac({ deviceOfMac }: Compiled, mac: string, network: string | null = null): Subject {
  const device = deviceOfMac.get(mac)
  return device === undefined ? { device: null, mac, network } : { device, mac: null, network }
}

/**
 * The candidates that include the subject; those whom the same include share one mask.
 *
 * @throws RangeError for a device that the policy has not
 */
export function maskOf(compiled: Compiled, subject: Subject): Uint32Array {
  const { device, network } = subject
  const mask = compiled.includes.get(device ?? NEWCOMER)
  if (!mask) throw new RangeError(`The policy has no device "${device}".`)
  const mac =
    device === null && subject.mac !== null && compiled.namedMacs.has(subject.mac) ? subject.mac : null
  const isShielded = device !== null && compiled.shielded.has(device)
  if (isShielded || (network === null && mac === null)) return mask
  const key = JSON.stringify([device, mac, network])
  const known = compiled.others.get(key)
  if (known) return known
  const ownMask = new Uint32Array(compiled.maskWords)
  compiled.candidates.forEach((candidate, index) => {
    if (candidate.includes({ device, mac, network })) ownMask[index >>> 5]! |= 1 << (index & 31)
  })
  const found = shared(compiled.masks, ownMask)
  compiled.others.set(key, found)
  return found
}

function shared(masks: Map<string, Uint32Array>, mask: Uint32Array): Uint32Array {
  const key = mask.join()
  const known = masks.get(key)
  if (!known) masks.set(key, mask)
  return known ?? mask
}

/**
 * The intervals of `[from, until)` within which the same candidates are in force: interval `i` is `[edges[i],
 * edges[i + 1])` with the mask at `masks[i * maskWords]`.
 */
export interface MaskIntervals {
  readonly edges: readonly number[]
  readonly masks: Uint32Array
  readonly maskWords: number
}

/**
 * Cuts `[from, until)` (seconds) at every instant at which some candidate that is in one of the masks comes
 * into force or goes out of it; the others are in no interval.
 */
export function intervalsOf(
  compiled: Compiled,
  masks: Iterable<Uint32Array>,
  from: number,
  until: number,
): MaskIntervals {
  const { maskWords } = compiled
  const asked = new Uint32Array(maskWords)
  for (const mask of masks) mask.forEach((word, index) => (asked[index]! |= word))
  const hours = hoursLookup(compiled.schedules, compiled.zone, from, until)
  const inForce = compiled.candidates.map((candidate, index) =>
    isIn(asked, index) ? candidate.inForce(from, until, hours) : [],
  )
  const edges = [
    ...new Set([
      from,
      until,
      ...inForce.flatMap((ranges) => ranges.flatMap((range) => [range.from, range.until])),
    ]),
  ].sort((a, b) => a - b)
  const indexOfEdge = new Map(edges.map((edge, index) => [edge, index]))
  const intervalMasks = new Uint32Array((edges.length - 1) * maskWords)
  inForce.forEach((ranges, index) => {
    for (const range of ranges) {
      const end = indexOfEdge.get(range.until)!
      for (let interval = indexOfEdge.get(range.from)!; interval < end; interval++)
        intervalMasks[interval * maskWords + (index >>> 5)]! |= 1 << (index & 31)
    }
  })
  return { edges, masks: intervalMasks, maskWords }
}

/**
 * Writes the clauses of a device in an interval into `into`: the candidates that include it and are in force,
 * cut after the first on the internet.
 */
export function clauseMask(
  compiled: Compiled,
  includes: Uint32Array,
  intervals: MaskIntervals,
  interval: number,
  into: Uint32Array,
): void {
  const { maskWords, internet } = compiled
  let ended = false
  for (let word = 0; word < maskWords; word++) {
    const clauses: number = ended ? 0 : includes[word]! & intervals.masks[interval * maskWords + word]!
    const onInternet: number = clauses & internet[word]!
    const first = onInternet & -onInternet
    into[word] = onInternet === 0 ? clauses : clauses & ((first << 1) - 1)
    ended ||= onInternet !== 0
  }
}

/**
 * The state of a device in an interval, without its clauses: `clauseMask` and `standingOf` in a few operations
 * on bits.
 */
export function stateIn(
  { maskWords, internet, blocks, allows }: Compiled,
  includes: Uint32Array,
  intervals: MaskIntervals,
  interval: number,
): State {
  let [allowed, blocked] = [false, false]
  for (let word = 0; word < maskWords; word++) {
    const clauses = includes[word]! & intervals.masks[interval * maskWords + word]!
    const onInternet = clauses & internet[word]!
    const last = onInternet & -onInternet
    // All bits where none is on the internet.
    const earlier = clauses & (last - 1)
    allowed ||= (earlier & allows[word]!) !== 0
    blocked ||= (earlier & blocks[word]!) !== 0
    if (last === 0) continue
    if ((last & blocks[word]!) !== 0) return allowed ? 'listed-only' : 'cut-off'
    break
  }
  return blocked ? 'filtered' : 'open'
}

/** The candidates of a mask, in the order in which they decide. */
export function candidatesIn(compiled: Compiled, mask: Uint32Array): Candidate[] {
  return compiled.candidates.filter((_, index) => isIn(mask, index))
}

const isIn = (mask: Uint32Array, index: number) => (mask[index >>> 5]! & (1 << (index & 31))) !== 0

/** The standing that a clause mask means for a subject; equal masks share one object. */
export function standingIn(compiled: Compiled, subject: Subject, mask: Uint32Array): Standing {
  if (subject.device !== null && compiled.shielded.has(subject.device))
    return shieldedStanding(subject.device)
  // Asked for every segment: a text of the mask as the key would cost more than all the rest.
  let hash = 0
  for (const word of mask) hash = Math.imul(hash ^ word, 0x9e3779b1) ^ (hash >>> 15)
  const alike = compiled.standings.get(hash) ?? compiled.standings.set(hash, []).get(hash)!
  const known = alike.find((one) => one.mask.every((word, index) => word === mask[index]))
  if (known) return known.standing
  const standing = standingOf(candidatesIn(compiled, mask))
  alike.push({ mask: mask.slice(), standing })
  return standing
}
