import { sizeOf } from '../allowance/limits.ts'
import type { Allowance, Amount, Policy, Rule, What, When, Who } from '../policy/types.ts'
import { listWords } from './count.ts'
import { hoursWords } from './length.ts'

const EFFECT = { block: 'may not reach', allow: 'may reach' } as const

/** A rule as a sentence in its parts: who, what is done to what, and when. */
export interface RuleWords {
  readonly who: string
  readonly effect: string
  readonly what: string
  readonly when: string
}

/**
 * The parts of a rule's sentence: "Apprentices, except Bench tablet," "may not reach" "the internet" "during
 * Bench hours"; `only` where a rule that closes the rest stands right after it.
 */
export function ruleWords(
  { effect, who, what, when, after }: Pick<Rule, 'effect' | 'who' | 'what' | 'when' | 'after'>,
  policy: Policy,
  only = false,
): RuleWords {
  return {
    who: whoWords(who, policy),
    effect: only ? 'may reach only' : EFFECT[effect],
    what: whatWords(what, policy),
    when: [
      ...(after !== null && 'always' in when ? [] : [whenRuleWords(when, policy)]),
      ...(after === null ? [] : [`after ${allowanceWords(after)}`]),
    ].join(' '),
  }
}

/** Returns the subjects of a rule in words. */
export function whoWords(who: Who, policy: Policy): string {
  const networkNames = (ids: readonly string[]) =>
    names(policy.networks, ids).map((name) => `devices in ${name}`)
  const named = [
    ...(who.everyone ? ['Everyone'] : []),
    ...networkNames(who.networks),
    ...names(policy.groups, who.groups),
    ...names(policy.devices, who.devices),
    ...(who.newcomers && !who.everyone ? ['unknown devices'] : []),
  ]
  const except = [
    ...networkNames(who.except.networks),
    ...names(policy.groups, who.except.groups),
    ...names(policy.devices, who.except.devices),
  ]
  const all = named.length === 0 ? 'No device yet' : listWords(named)
  return capital(except.length === 0 ? all : `${all}, except ${listWords(except)},`)
}

/** Returns the coverage of a rule in words. */
export function whatWords(what: What, policy: Policy): string {
  if (what.internet) return 'the internet'
  const parts = [
    ...names(policy.siteLists, what.siteLists).map((name) => `the list ${name}`),
    ...what.categories.map((category) => `${category} apps`),
    ...names(policy.apps, what.apps),
    ...what.sites,
    ...what.keywords.map((word) => `names with “${word}”`),
    ...what.services,
  ]
  return parts.length === 0 ? 'nothing yet' : listWords(parts)
}

/** Returns the times of a rule in words. */
export function whenRuleWords(when: When, policy: Policy): string {
  if ('always' in when) return 'always'
  if ('from' in when) return `from ${when.from.replace('T', ' ')} until ${when.until.replace('T', ' ')}`
  return `${when.outside ? 'outside' : 'during'} ${listWords(names(policy.schedules, when.schedules))}`
}

/**
 * An allowance: "2 h a day", "500 MB a week, shared"; with when its period begins where that is not
 * midnight.
 */
export function allowanceWords(after: Allowance): string {
  const shared = after.shared ? ', shared' : ''
  const start = after.from === '00:00' ? '' : ` from ${after.from}`
  return `${amountWords(after)} a ${after.per}${start}${shared}`
}

/** An amount of use: "2 h", "45 min", "1,500 MB". */
export function amountWords(amount: Amount): string {
  return 'minutes' in amount ? hoursWords(amount.minutes) : `${sizeOf(amount).toLocaleString('en')} MB`
}

function names(entries: readonly { id: string; name: string }[], ids: readonly string[]): string[] {
  return ids.map((id) => entries.find((entry) => entry.id === id)?.name ?? id)
}

/**
 * A text with a capital letter at its beginning.
 *
 * @example capital('bench hours') // 'Bench hours'
 */
export const capital = (text: string) => text.charAt(0).toUpperCase() + text.slice(1)
