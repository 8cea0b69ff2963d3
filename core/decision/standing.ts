import type { Destination } from '../destination/destination.ts'
import type { Effect } from '../policy/types.ts'
import type { Candidate } from './candidate.ts'

export const STATES = ['open', 'filtered', 'listed-only', 'cut-off'] as const
/**
 * The reach of a device: everything; all but something; only what is listed; nothing beyond the gateway.
 */
export type State = (typeof STATES)[number]

/** The decider: a rule, an override, or the device that is shielded (`id` is then the device's). */
export interface Because {
  readonly kind: 'rule' | 'override' | 'shielded'
  readonly id: string
}

/**
 * The standing of a device while its clauses stay the same; `clauses` are ids of rules and overrides in the
 * order in which they decide.
 */
export interface Standing {
  readonly state: State
  readonly decidedBy: Because | null
  readonly clauses: readonly string[]
}

export interface Verdict {
  readonly effect: Effect
  readonly decidedBy: Because | null
}

/** Whether a yes or no would say "blocked". */
export function isBlocked(state: State): boolean {
  return state === 'cut-off' || state === 'listed-only'
}

/** Returns the standing of a shielded device: open, whatever the rules say. */
export function shieldedStanding(device: string): Standing {
  return { state: 'open', decidedBy: { kind: 'shielded', id: device }, clauses: [] }
}

/** The standing that follows from a device's clauses, already cut after the first on the internet. */
export function standingOf(all: readonly Candidate[]): Standing {
  const ids = all.map((clause) => clause.id)
  const clauses = all.filter(({ logs }) => !logs)
  const last = clauses.at(-1)
  const final = last?.internet ? last : null
  const earlier = final ? clauses.slice(0, -1) : clauses
  if (final?.effect === 'block') {
    return {
      state: earlier.some((clause) => clause.effect === 'allow') ? 'listed-only' : 'cut-off',
      decidedBy: because(final),
      clauses: ids,
    }
  }
  const block = earlier.find((clause) => clause.effect === 'block')
  if (block) return { state: 'filtered', decidedBy: because(block), clauses: ids }
  return { state: 'open', decidedBy: final && because(final), clauses: ids }
}

/**
 * Returns the verdict on a destination: the first clause that matches decides; if none does, it is allowed.
 */
export function verdictOf(clauses: readonly Candidate[], destination: Destination): Verdict {
  for (const clause of clauses)
    if (!clause.logs && clause.matches(destination))
      return { effect: clause.effect, decidedBy: because(clause) }
  return OPEN
}

const OPEN: Verdict = { effect: 'allow', decidedBy: null }
const NONE: readonly Candidate[] = []

/**
 * The clauses that are only logged and would have decided about a destination, had they been in earnest:
 * those that match before the first that decides.
 */
export function logsOf(clauses: readonly Candidate[], destination: Destination): readonly Candidate[] {
  if (!clauses.some(({ logs }) => logs)) return NONE
  const matching = clauses.filter((clause) => clause.matches(destination))
  const first = matching.findIndex(({ logs }) => !logs)
  return matching.slice(0, first < 0 ? matching.length : first)
}

const because = ({ kind, id }: Candidate): Because => ({ kind, id })
