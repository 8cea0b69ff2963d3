import { compile, everyDevice } from './compile.ts'
import { ANY_NEWCOMER } from './subject.ts'
import { stateText, timelines, type Segment } from './timeline.ts'
import type { Policy } from '../policy/types.ts'

/**
 * The time of those whom a rule meets: how many devices it meets, and the segments that the most of them
 * (`alike`) have alike.
 */
export interface MetWeek {
  readonly rule: string
  readonly met: number
  readonly alike: number
  readonly segments: readonly Segment[]
}

/**
 * For each enabled rule the time of those it meets over `[from, until)` (seconds), all rules counted,
 * overrides left aside, no allowance used up; one that applies only to newcomers shows theirs, with `met` 0.
 * Rules that apply to nobody are left out.
 */
export function metWeeks(policy: Policy, from: number, until: number): MetWeek[] {
  const compiled = compile({ ...policy, overrides: [], spent: [] })
  const lines = timelines(compiled, [...everyDevice(compiled), ANY_NEWCOMER], from, until)
  const looks = lines.map(({ segments }) => stateText(segments))
  return compiled.candidates.flatMap((candidate): MetWeek[] => {
    const all = lines.flatMap((line, index) => (candidate.includes(line) ? [index] : []))
    const devices = all.filter((index) => lines[index]!.device !== null)
    const met = devices.length > 0 ? devices : all
    if (met.length === 0) return []
    const count = new Map<string, number>()
    for (const index of met) count.set(looks[index]!, (count.get(looks[index]!) ?? 0) + 1)
    const first = met.reduce((best, index) =>
      count.get(looks[index]!)! > count.get(looks[best]!)! ? index : best,
    )
    return [
      {
        rule: candidate.id,
        met: devices.length,
        alike: devices.length > 0 ? count.get(looks[first]!)! : 0,
        segments: lines[first]!.segments,
      },
    ]
  })
}
