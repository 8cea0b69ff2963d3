import { maskOf, intervalsOf, type Compiled } from '../decision/compile.ts'
import type { Rule } from '../policy/types.ts'
import { DAY } from '../time/duration.ts'

/** The time ahead in which a rule must be active once, or it never is. */
const HORIZON_SECONDS = 400 * DAY

/**
 * The rules that include each device, and those that are active at each time: masks of the enabled rules, the
 * lowest bit the first. A situation is what of both comes together, somebody at some time.
 */
export interface Situations {
  /**
   * The mask of each device by its id, unknown devices under ""; and each of them in each network that a rule
   * names.
   */
  readonly people: ReadonlyMap<string, bigint>
  /** The instant (seconds) at which each mask of rules in force comes first, in the order of these. */
  readonly times: ReadonlyMap<bigint, number>
}

/** The situations of a policy made ready, over the coming 400 days from an instant (seconds). */
export function situationsOf(compiled: Compiled, now: number): Situations {
  const { maskWords, includes } = compiled
  // A mask of many words as one number: from its hexadecimal digits, the last word first.
  const number = (mask: Uint32Array, at: number) => {
    let digits = '0x'
    for (let word = maskWords - 1; word >= 0; word--)
      digits += mask[at * maskWords + word]!.toString(16).padStart(8, '0')
    return BigInt(digits)
  }
  const intervals = intervalsOf(
    compiled,
    [new Uint32Array(maskWords).fill(0xffffffff)],
    now,
    now + HORIZON_SECONDS,
  )
  const named = new Set(compiled.policy.rules.flatMap(({ who }) => [...who.networks, ...who.except.networks]))
  const inNetworks = [...named].flatMap((network) =>
    [...includes.keys()].map((id): [string, bigint] => [
      JSON.stringify([id, network]),
      number(maskOf(compiled, { device: id || null, mac: null, network }), 0),
    ]),
  )
  const people = new Map([
    ...[...includes].map(([id, mask]): [string, bigint] => [id, number(mask, 0)]),
    ...inNetworks,
  ])
  const times = new Map<bigint, number>()
  for (let interval = 0; interval < intervals.edges.length - 1; interval++) {
    const mask = number(intervals.masks, interval)
    if (!times.has(mask)) times.set(mask, intervals.edges[interval]!)
  }
  return { people, times }
}

/**
 * The situations in which a rule of a single bit is in force for somebody. They may be very many: who has seen
 * enough stops.
 */
export function* situationsWith({ people, times }: Situations, bit: bigint): Generator<bigint> {
  const moments = [...times.keys()].filter((when) => (when & bit) !== 0n)
  for (const who of new Set(people.values()))
    if ((who & bit) !== 0n) for (const when of moments) yield who & when
}

/** The instant at which all rules of a mask are first in force together; `null` where they never are. */
export function firstTogether({ times }: Situations, mask: bigint): number | null {
  for (const [when, first] of times) if ((when & mask) === mask) return first
  return null
}

/** The rules for which a test holds, as a mask. */
export function maskWhere(rules: readonly Rule[], test: (rule: Rule, index: number) => boolean): bigint {
  return rules.reduce((mask, rule, index) => (test(rule, index) ? mask | (1n << BigInt(index)) : mask), 0n)
}

/** The set bits of a mask as indexes, the lowest first. */
export function* bitsOf(mask: bigint): Generator<number> {
  for (let index = 0, rest = mask; rest !== 0n; index++, rest >>= 1n) if (rest & 1n) yield index
}
