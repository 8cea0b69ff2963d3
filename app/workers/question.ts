import type { KnownUse } from '../../core/allowance/outlook.ts'
import type { Subject } from '../../core/decision/subject.ts'
import type { PolicyPeriod, Person } from '../../core/decision/periods.ts'
import type { Seen } from '../../core/change/hours.ts'
import type { Policy } from '../../core/policy/types.ts'

/** The questions to the worker; ranges are half-open, in seconds. */
export type Question<P = Policy> =
  | {
      readonly kind: 'timelines'
      readonly policy: P
      readonly subjects: readonly Subject[]
      readonly from: number
      readonly until: number
    }
  /** `keys` name the people for who asked. */
  | {
      readonly kind: 'periods'
      readonly periods: readonly EraOf<P>[]
      readonly people: readonly Person[]
      readonly keys?: readonly string[]
      readonly from: number
      readonly until: number
    }
  /** The number of devices in each state, and the devices that are blocked or allowed again. */
  | {
      readonly kind: 'course'
      readonly periods: readonly EraOf<P>[]
      readonly people: readonly Person[]
      readonly from: number
      readonly until: number
    }
  /** The times at which each may be blocked by a used-up allowance. */
  | {
      readonly kind: 'outlook'
      readonly policy: P
      readonly subjects: readonly Subject[]
      readonly known: KnownUse | null
      readonly from: number
      readonly until: number
    }
  | { readonly kind: 'metWeeks'; readonly policy: P; readonly from: number; readonly until: number }
  | {
      readonly kind: 'findings'
      readonly policy: Policy
      readonly now: number
      readonly own: readonly string[]
    }
  | {
      readonly kind: 'changes'
      readonly before: P
      readonly after: P
      readonly from: number
      readonly until: number
      readonly seen: readonly Seen[]
    }

interface EraOf<P> extends Omit<PolicyPeriod, 'policy'> {
  readonly policy: P
}

/**
 * The same question with something else in the place of each policy; findings, which look into lists too,
 * keep theirs, and the worker asks for the sites of long ones itself.
 */
export function withPolicies<A, B>(question: Question<A>, of: (policy: A) => B): Question<B> {
  if (question.kind === 'findings') return question
  if (question.kind === 'periods' || question.kind === 'course')
    return {
      ...question,
      periods: question.periods.map((period) => ({ ...period, policy: of(period.policy) })),
    }
  return question.kind === 'changes'
    ? { ...question, before: of(question.before), after: of(question.after) }
    : { ...question, policy: of(question.policy) }
}

/**
 * A policy that the worker does not have yet: the parts that are its own, and for the others the number of a
 * policy that has the same.
 */
export interface Handed {
  readonly number: number
  readonly own: Partial<Policy>
  readonly as: readonly (readonly [keyof Policy, number])[]
}

/**
 * A question whose policies are named by numbers; those that the worker does not have yet come with it, and
 * some it may forget.
 */
export interface Asked {
  readonly question: Question<number>
  readonly policies: readonly Handed[]
  readonly forget: readonly number[]
}
export type Answered = { readonly answer: unknown } | { readonly fault: string }
