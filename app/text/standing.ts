import type { PolicyPeriod } from '../../core/decision/periods.ts'
import type { StateAt } from '../../core/decision/moment.ts'
import type { Standing } from '../../core/decision/standing.ts'
import type { VerdictSpan } from '../../core/decision/spans.ts'
import type { Segment } from '../../core/decision/timeline.ts'
import type { Policy } from '../../core/policy/types.ts'
import { DAY, MINUTE } from '../../core/time/duration.ts'
import { unite } from '../../core/time/ranges.ts'
import type { StateChange } from '../model/board/state-changes.ts'
import { clockOf, dateWords, weekdayWords, whenWords } from './time.ts'
import { countWords, plural } from '../../core/words/count.ts'

/** Returns the standing of a device in a word or two. */
export function stateWord({ state, decidedBy }: Pick<Standing, 'state' | 'decidedBy'>): string {
  if (decidedBy?.kind === 'shielded') return 'never blocked'
  return {
    'open': 'allowed',
    'filtered': 'partly blocked',
    'listed-only': 'listed sites only',
    'cut-off': 'blocked',
  }[state]
}

/**
 * The answer about a device: what it can do, since when, until when; then by what, named apart so that it can
 * be set in italics.
 */
export interface Sentence {
  readonly before: string
  readonly name: string
  readonly after: string
}

/**
 * Says how a device stands at a moment (seconds).
 *
 * @param mayChange from when on it may be blocked by then, in seconds; `null` = that is known
 */
export function standingSentence(
  moment: StateAt,
  policy: Policy,
  at: number,
  mayChange: number | null = null,
): Sentence {
  const zone = policy.place.timeZone
  const { since, until, decidedBy, state } = moment
  if (decidedBy?.kind === 'shielded')
    return { before: 'Never blocked: no rule and no override applies to it.', name: '', after: '' }
  const lead = {
    'open': 'Allowed',
    'filtered': 'Partly blocked',
    'listed-only': 'Listed sites only',
    'cut-off': 'Blocked',
  }[state]
  // An end that may come earlier is said apart.
  const isSure = mayChange === null || (until !== null && until <= mayChange)
  let ends = ''
  if (isSure) ends = until === null ? ', no end planned' : `, until ${whenWords(until, at, zone)}`
  const bounds = [since === null ? '' : ` since ${whenWords(since, at, zone)}`, ends].join('')
  if (!decidedBy)
    return {
      before: `${lead}${until === null ? `${since === null ? '' : ` since ${whenWords(since, at, zone)}`}. No rule applies to it` : bounds}.`,
      name: '',
      after: '',
    }
  if (decidedBy.kind === 'override') {
    const note = policy.overrides.find(({ id }) => id === decidedBy.id)?.note
    return { before: `${lead}${bounds}, by an override${note ? `: “${note}”` : ''}.`, name: '', after: '' }
  }
  const position = policy.rules.findIndex(({ id }) => id === decidedBy.id)
  return {
    before: `${lead}${bounds}, by `,
    name: policy.rules[position]?.name ?? decidedBy.id,
    after: `; rule ${position + 1} of ${policy.rules.length}.`,
  }
}

/**
 * A stretch of a device in words: "Hall radio: filtered, 09:00 to 18:30, by No streams." The rule is named as
 * the policy of that time names it; bounds at the edges of what is shown are left out.
 */
export function stretchWords(
  name: string,
  segment: Segment,
  periods: readonly PolicyPeriod[],
  shown: { readonly from: number; readonly until: number },
  zone: string,
): string {
  const { policy } = periods.findLast(({ from }) => from <= segment.from) ?? periods[0]!
  const { decidedBy } = segment
  let by
  if (!decidedBy || decidedBy.kind === 'shielded') by = ''
  else if (decidedBy.kind === 'override') by = ', by an override'
  else by = `, by ${policy.rules.find(({ id }) => id === decidedBy.id)?.name ?? decidedBy.id}`
  const time = (at: number) =>
    shown.until - shown.from > DAY + 7200
      ? `${weekdayWords(at, zone).slice(0, 3)} ${clockOf(at, zone)}`
      : clockOf(at, zone)
  const bounds = [
    segment.from > shown.from ? `from ${time(segment.from)}` : '',
    segment.until < shown.until ? `until ${time(segment.until)}` : '',
  ]
    .filter(Boolean)
    .join(' ')
  return `${name}: ${stateWord(segment)}${bounds && `, ${bounds}`}${by}.`
}

/**
 * Returns the fate of a destination in words, over the spans that begin at a moment (seconds): "No, until
 * 18:30: rule 6 of 13, No video, closes it. Then yes, until tomorrow 08:30."
 */
export function verdictWords(spans: readonly VerdictSpan[], policy: Policy, at: number): string {
  const zone = policy.place.timeZone
  const end = spans.at(-1)!.until
  const [here] = spans
  const { decidedBy, effect } = here!
  const turn = spans.find((span) => span.effect !== effect)
  // Until the answer changes, whichever rule gives it.
  const until = turn ? `, until ${whenWords(turn.from, at, zone)}` : ''
  const position = policy.rules.findIndex(({ id }) => id === decidedBy?.id)
  const rule = `rule ${position + 1} of ${policy.rules.length}, ${policy.rules[position]?.name ?? decidedBy?.id}`
  let why
  if (!decidedBy) why = 'no rule covers it'
  else if (decidedBy.kind === 'shielded') why = 'this device is never blocked'
  else if (decidedBy.kind === 'override') {
    const isPart = policy.overrides.find(({ id }) => id === decidedBy.id)?.what
    why = `an override ${effect === 'allow' ? 'allows' : 'blocks'} ${isPart ? 'it' : 'everything'}`
  } else why = `${rule}, ${effect === 'allow' ? 'allows it' : 'blocks it'}`
  const next = turn
    ? ` It is ${effect === 'allow' ? 'blocked' : 'allowed'} from ${whenWords(turn.from, at, zone)}.`
    : ` ${staysWords(end, at, zone)}`
  return `${effect === 'allow' ? 'Yes' : 'No'}${until}: ${why}.${next}`
}

/** Returns the time for which something stays as it is, at least to the end of the asked range. */
export function staysWords(end: number, at: number, zone: string): string {
  const isWeek = Math.abs(end - at - 7 * DAY) < MINUTE
  return `No change ${isWeek ? 'for the next seven days' : `until ${whenWords(end, at, zone)} at least`}.`
}

/** Every time within what was asked in which it passes, each in words; none where it never or always does. */
export function passingWords(spans: readonly VerdictSpan[], zone: string): string[] {
  const passing = unite(spans.filter(({ effect }) => effect === 'allow'))
  const [first] = passing
  if (first && first.from === spans[0]!.from && first.until === spans.at(-1)!.until) return []
  return passing.map(
    ({ from, until }) => `${dateWords(from, zone)} ${clockOf(from, zone)} to ${whenWords(until, from, zone)}`,
  )
}

/** "6 devices are blocked", "nobody is blocked". */
export function blockedWords(count: number): string {
  if (count === 0) return 'nobody is blocked'
  return countWords(count, 'device is blocked', 'devices are blocked')
}

/**
 * Returns the number of devices that are blocked and allowed again at an instant in words, as seen from
 * another (seconds): "At 21:00 two more are blocked."
 */
export function turnWords(
  { at, blocked: { length: more }, back: { length: fewer } }: StateChange,
  from: number,
  zone: string,
): string {
  const parts = [
    more > 0 ? `${more} more ${plural(more, 'device is', 'devices are')} blocked` : '',
    fewer > 0 ? `${countWords(fewer, 'device gets', 'devices get')} access again` : '',
  ]
  const time = whenWords(at, from, zone)
  return `${/^\d/.test(time) ? 'At' : 'On'} ${time} ${parts.filter(Boolean).join(' and ')}.`
}
