import type { Moment } from '../../core/decision/moment.ts'
import { isBlocked, type Standing } from '../../core/decision/standing.ts'
import type { Policy } from '../../core/policy/types.ts'
import { whenWords } from './time.ts'

/** The one word for how a device stands: an opening by override and a shield are said, since they explain why nothing is blocked. */
export function stateWord({ state, because }: Pick<Standing, 'state' | 'because'>): string {
  if (because?.kind === 'shielded') return 'shielded'
  if (because?.kind === 'override' && state === 'open') return 'opened'
  return { 'open': 'open', 'filtered': 'filtered', 'listed-only': 'listed only', 'cut-off': 'cut off' }[state]
}

/** The answer about a device: what it can do, since when, until when; then by what, named apart so that it can be set in italics. */
export interface Sentence { readonly before: string, readonly name: string, readonly after: string }

/** Says how a device stands at a moment (seconds). */
export function standingSentence(moment: Moment, policy: Policy, at: number): Sentence {
  const zone = policy.place.timeZone
  const { since, until, because, state } = moment
  if (because?.kind === 'shielded') return { before: 'Shielded: open, and no rule or override can touch it.', name: '', after: '' }
  const lead = { 'open': because?.kind === 'override' ? 'Opened' : 'Open', 'filtered': 'Open but for what is filtered', 'listed-only': 'Only listed sites', 'cut-off': 'Cut off' }[state]
  const bounds = [since === null ? '' : ` since ${whenWords(since, at, zone)}`, until === null ? ', with no end in sight' : `, until ${whenWords(until, at, zone)}`].join('')
  if (!because) return { before: `${lead}${until === null ? `${since === null ? '' : ` since ${whenWords(since, at, zone)}`}. No rule speaks of it` : bounds}.`, name: '', after: '' }
  if (because.kind === 'override') {
    const note = policy.overrides.find(({ id }) => id === because.id)?.note
    return { before: `${lead}${bounds}, by an override${note ? `: “${note}”` : ''}.`, name: '', after: '' }
  }
  const position = policy.rules.findIndex(({ id }) => id === because.id)
  return { before: `${lead}${bounds}, by `, name: policy.rules[position]?.name ?? because.id, after: `; rule ${position + 1} of ${policy.rules.length}.` }
}

const SMALL = ['nobody', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine', 'ten', 'eleven', 'twelve']

/** A count in words up to twelve. */
export function countWord(count: number): string {
  return count === 0 ? 'no' : SMALL[count] ?? String(count)
}

/** "six devices are blocked", "nobody is blocked". */
export function blockedWords(count: number): string {
  if (count === 0) return 'nobody is blocked'
  return count === 1 ? 'one device is blocked' : `${countWord(count)} devices are blocked`
}

/** What happens next after a moment: the first instant at which someone is blocked or let back in, in words; `null` where nothing changes within the segments' reach. `blockedAt` says of each whether it is blocked at an instant. */
export function nextWords(moments: readonly Moment[], blockedAt: (at: number) => readonly boolean[], at: number, zone: string): string | null {
  const ends = moments.flatMap(({ until }) => until === null ? [] : [until]).sort((a, b) => a - b)
  for (const end of new Set(ends)) {
    const later = blockedAt(end)
    const turning = moments.flatMap((moment, index) => moment.until === end ? [{ was: isBlocked(moment.state), is: later[index]! }] : [])
    const more = turning.filter(({ was, is }) => !was && is).length
    const fewer = turning.filter(({ was, is }) => was && !is).length
    if (more + fewer === 0) continue
    const parts = [more > 0 ? `${countWord(more)} more ${more === 1 ? 'is' : 'are'} blocked` : '', fewer > 0 ? `${countWord(fewer)} ${fewer === 1 ? 'is' : 'are'} let back in` : '']
    const time = whenWords(end, at, zone)
    return `${/^\d/.test(time) ? 'At' : 'On'} ${time} ${parts.filter(Boolean).join(' and ')}.`
  }
  return null
}
