import type { Plan, PlanInterval } from '../../../../core/plan/plan.ts'
import type { Setting } from './table-setting.ts'

/** So many stretches stand in one rule at most: nft takes no more than a few thousand at once. */
const AT_ONCE = 2000

/** The last second of the kernel's clock, which counts nanoseconds in 64 bits. */
const EVER = 18_446_744_073

/** Whether nobody on a course is asked any clause, at any time of the plan. */
export const isFree = (stretches: readonly PlanInterval[], standings: Plan['standings']) =>
  stretches.every(({ standing }) => standings[standing]!.length === 0)

/**
 * A course by the kernel's clock. The most frequent standing is what is left over when no stretch matches.
 * The clock counts nanoseconds: the end of a range is that very nanosecond, not the second that
 * begins with it. What is going on when the table is written stands before all maps, since it is what most
 * packets meet. Stretches that touch have it in common, which a map does not take, so that every other of
 * them stands in a second map.
 */
export function courseLines(
  stretches: readonly PlanInterval[],
  { from, until, standings }: Plan,
  { ahead, now }: Setting,
  outside: string,
): string[] {
  // A device without rules passes whatever the clock says.
  if (isFree(stretches, standings)) return ['goto pass']
  const towardsOf = (standing: number) =>
    standings[standing]!.length === 0 ? 'goto pass' : `goto rules_${standing}`
  const often = new Map<number, number>()
  for (const { standing } of stretches) often.set(standing, (often.get(standing) ?? 0) + 1)
  const [rest] = [...often].reduce((most, one) => (one[1] > most[1] ? one : most))
  const current = stretches.find((one) => one.from <= now && now < one.until)
  const intervals = [
    { from: ahead, until: from, verdict: outside },
    ...stretches
      .filter((one) => one !== current && one.standing !== rest)
      .map(({ from, until, standing }) => ({ from, until, verdict: towardsOf(standing) })),
    { from: until, until: EVER + ahead, verdict: outside },
  ]
  const maps: [string[], string[]] = [[], []]
  let side = 0
  intervals.forEach(({ from, until, verdict }, index) => {
    side = intervals[index - 1]?.until === from ? 1 - side : 0
    maps[side]!.push(`${from - ahead}-${until - ahead} : ${verdict}`)
  })
  return [
    ...(current
      ? [`meta time ${current.from - ahead}-${current.until - ahead} ${towardsOf(current.standing)}`]
      : []),
    ...maps.flatMap((all) =>
      Array.from(
        { length: Math.ceil(all.length / AT_ONCE) },
        (_, part) => `meta time vmap { ${all.slice(part * AT_ONCE, (part + 1) * AT_ONCE).join(', ')} }`,
      ),
    ),
    towardsOf(rest),
  ]
}
