import { deviceChanges } from '../../core/change/hours.ts'
import { compile, type Subject } from '../../core/decision/compile.ts'
import { policyFindings } from '../../core/findings/rules.ts'
import { stateSteps } from '../components/ribbon/steps.ts'
import { eraTimelines, type Era, type Person } from '../../core/decision/eras.ts'
import { metWeeks } from '../../core/decision/met.ts'
import { timelines } from '../../core/decision/timeline.ts'
import type { Policy } from '../../core/policy/types.ts'

/** What is asked of the worker; ranges are half-open, in seconds. */
export type Question =
  | { readonly kind: 'timelines', readonly policy: Policy, readonly subjects: readonly Subject[], readonly from: number, readonly until: number }
  /** `keys` name the people for who asked. */
  | { readonly kind: 'eras', readonly eras: readonly Era[], readonly people: readonly Person[], readonly keys?: readonly string[], readonly from: number, readonly until: number }
  | { readonly kind: 'steps', readonly eras: readonly Era[], readonly people: readonly Person[], readonly from: number, readonly until: number }
  | { readonly kind: 'metWeeks', readonly policy: Policy, readonly from: number, readonly until: number }
  | { readonly kind: 'findings', readonly policy: Policy, readonly now: number, readonly own: readonly string[] }
  | { readonly kind: 'changes', readonly before: Policy, readonly after: Policy, readonly from: number, readonly until: number }

export interface Asked { readonly id: number, readonly question: Question }
export type Answered = { readonly id: number, readonly answer: unknown } | { readonly id: number, readonly fault: string }

self.onmessage = ({ data: { id, question } }: MessageEvent<Asked>) => {
  try {
    self.postMessage({ id, answer: answer(question) } satisfies Answered)
  } catch (error) {
    self.postMessage({ id, fault: String(error) } satisfies Answered)
  }
}

function answer(question: Question) {
  if (question.kind === 'timelines') return timelines(compile(question.policy), question.subjects, question.from, question.until)
  if (question.kind === 'eras') return eraTimelines(question.eras, question.people, question.from, question.until)
  // Counted here: the timelines of hundreds of devices take the page a while to receive.
  if (question.kind === 'steps') return stateSteps(eraTimelines(question.eras, question.people, question.from, question.until))
  if (question.kind === 'metWeeks') return metWeeks(question.policy, question.from, question.until)
  if (question.kind === 'findings') return policyFindings(question.policy, question.now, question.own)
  return deviceChanges(question.before, question.after, question.from, question.until)
}
