import { mayBeBlocked } from '../../core/allowance/outlook.ts'
import { deviceChanges } from '../../core/change/hours.ts'
import { compiledOf } from '../../core/decision/compile.ts'
import { policyFindings } from '../../core/findings/rules.ts'
import { stateChanges } from '../model/state-changes.ts'
import { stateSteps } from '../model/steps.ts'
import { periodTimelines } from '../../core/decision/periods.ts'
import { metWeeks } from '../../core/decision/met.ts'
import { timelines } from '../../core/decision/timeline.ts'
import type { Policy } from '../../core/policy/types.ts'
import { withPolicies, type Answered, type Asked, type Question } from './question.ts'

const held = new Map<number, Policy>()
self.onmessage = ({ data: { question, policies, forget } }: MessageEvent<Asked>) => {
  for (const { number, own, as } of policies)
    held.set(number, {
      ...own,
      ...Object.fromEntries(as.map(([part, other]) => [part, held.get(other)![part]])),
    } as Policy)
  for (const number of forget) held.delete(number)
  try {
    self.postMessage({
      answer: answer(withPolicies(question, (number) => held.get(number)!)),
    } satisfies Answered)
  } catch (error) {
    self.postMessage({ fault: String(error) } satisfies Answered)
  }
}

function answer(question: Question) {
  if (question.kind === 'timelines')
    return timelines(compiledOf(question.policy), question.subjects, question.from, question.until)
  if (question.kind === 'periods')
    return periodTimelines(question.periods, question.people, question.from, question.until)
  // Counted here: the timelines of hundreds of devices take the page a while to receive.
  if (question.kind === 'course') {
    const course = periodTimelines(question.periods, question.people, question.from, question.until)
    return { steps: stateSteps(course), turns: stateChanges(course) }
  }
  if (question.kind === 'outlook') {
    const { policy, subjects, known, from, until } = question
    return mayBeBlocked(policy, subjects, known, from, until)
  }
  if (question.kind === 'metWeeks') return metWeeks(question.policy, question.from, question.until)
  if (question.kind === 'findings') return policyFindings(question.policy, question.now, question.own)
  return deviceChanges(question.before, question.after, question.from, question.until, question.seen)
}
