import { apiPath } from '../model/address.ts'
import { mayBeBlocked } from '../../core/allowance/outlook.ts'
import { deviceChanges } from '../../core/change/hours.ts'
import { compiledOf } from '../../core/decision/compile.ts'
import { policyFindings } from '../../core/findings/rules.ts'
import { stateChanges } from '../model/board/state-changes.ts'
import { stateSteps } from '../model/board/steps.ts'
import { periodTimelines } from '../../core/decision/periods.ts'
import { metWeeks } from '../../core/decision/met.ts'
import { timelines } from '../../core/decision/timeline.ts'
import type { Policy, SiteList } from '../../core/policy/types.ts'
import { elsewhere } from '../../protocol/brief-list.ts'
import { withPolicies, type Answered, type Asked, type Question } from './question.ts'

const held = new Map<number, Policy>()
self.onmessage = async ({ data: { question, policies, forget } }: MessageEvent<Asked>) => {
  for (const { number, own, as } of policies)
    held.set(number, {
      ...own,
      ...Object.fromEntries(as.map(([part, other]) => [part, held.get(other)![part]])),
    } as Policy)
  for (const number of forget) held.delete(number)
  try {
    const asked = withPolicies(question, (number) => held.get(number)!)
    const answered =
      asked.kind === 'findings'
        ? policyFindings(await whole(asked.policy), asked.now, asked.own)
        : answer(asked)
    self.postMessage({ answer: answered } satisfies Answered)
  } catch (error) {
    self.postMessage({ fault: String(error) } satisfies Answered)
  }
}

/** The sites of long lists by their digests, as long as a policy that is asked about has them. */
let sites = new Map<string, readonly string[]>()

/**
 * A policy with the sites of all its lists: they are asked for here, since handing them over takes the page
 * seconds.
 */
async function whole(policy: Policy): Promise<Policy> {
  const used = new Map<string, readonly string[]>()
  const siteLists: SiteList[] = []
  for (const list of policy.siteLists) {
    const long = elsewhere(list)
    if (!long) {
      siteLists.push(list)
      continue
    }
    const entries = sites.get(long.digest) ?? (await fetchSites(long.digest))
    used.set(long.digest, entries)
    siteLists.push({ ...list, entries })
  }
  // The draft and what is live mostly have the same, and are asked about in turn.
  sites = new Map([...sites, ...used].slice(-MAX_LISTS))
  return { ...policy, siteLists }
}
const MAX_LISTS = 8

async function fetchSites(digest: string): Promise<readonly string[]> {
  const response = await fetch(apiPath(`/api/sites/${digest}`))
  if (!response.ok) throw new Error(`The sites of a list could not be loaded (${response.status}).`)
  return (await response.json()) as readonly string[]
}

function answer(question: Exclude<Question, { kind: 'findings' }>) {
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
  return deviceChanges(question.before, question.after, question.from, question.until, question.seen)
}
