import { computed, onScopeDispose, shallowRef, watch, type ComputedRef, type ShallowRef } from 'vue'
import type { DeviceChange } from '../../core/change/hours.ts'
import type { MetWeek } from '../../core/decision/met.ts'
import type { Timeline } from '../../core/decision/timeline.ts'
import type { PolicyFinding } from '../../core/findings/rules.ts'
import type { StateChange } from '../model/board/state-changes.ts'
import type { Step } from '../model/board/steps.ts'
import type { Ranges } from '../../core/time/ranges.ts'
import type { Policy, SiteList } from '../../core/policy/types.ts'
import { elsewhere, LONG_LIST } from '../../protocol/brief-list.ts'
import { withPolicies, type Answered, type Asked, type Handed, type Question } from '../workers/question.ts'
import { PLACE } from '../model/address.ts'
import { shellText } from '../text/shell.ts'

interface Answers {
  timelines: Timeline[]
  periods: Timeline[]
  course: { steps: Step[]; turns: StateChange[] }
  outlook: Ranges[]
  metWeeks: MetWeek[]
  findings: PolicyFinding[]
  changes: DeviceChange[]
}
type AnswerOf<Q extends Question> = Answers[Q['kind']]

interface Task {
  readonly question: Question
  readonly resolve: (answer: unknown) => void
  readonly reject: (error: Error) => void
}
/**
 * A worker with what it is to do, what it does, and the policies that it has by their numbers, the last used
 * at the end.
 */
interface Helper {
  readonly worker: Worker
  readonly knownPolicies: Map<number, Policy>
  readonly queue: Task[]
  doing: Task | null
}
/**
 * Work for the screen has a worker of its own: findings and differences take a while, and nobody should wait
 * for them to see a band.
 */
const helpers: { drawing?: Helper; comparing?: Helper } = {}
const isComparing = ({ kind }: Question) => kind === 'findings' || kind === 'changes'
/** Bands are worked out before what counts everybody. */
const comesFirst = ({ question: { kind } }: Task) => kind === 'periods' || kind === 'timelines'
/**
 * The milliseconds for which findings and differences wait, and findings that look into long lists: the page
 * is drawn before they are loaded.
 */
const [QUIET_MS, LONG_QUIET_MS] = [250, 3000]
/** The number of policies that a worker keeps. */
const MAX_POLICIES = 8
const numbers = new WeakMap<Policy, number>()
let lastNumber = 0

/** Loads the worker that draws, so that it is there when it is first asked. */
export function prepare(): void {
  helpers.drawing ??= start()
}

/**
 * Asks a worker that works out timelines, differences and findings off the page's thread. Policies are plain
 * data that nobody changes: each is handed over once.
 */
export function decide<Q extends Question>(question: Q): Promise<AnswerOf<Q>> {
  const helper = (helpers[isComparing(question) ? 'comparing' : 'drawing'] ??= start())
  return new Promise((resolve, reject) => {
    helper.queue.push({ question, resolve: resolve as (answer: unknown) => void, reject })
    // After all that this change makes one ask.
    queueMicrotask(() => next(helper))
  })
}

function next(helper: Helper): void {
  const { worker, knownPolicies, queue } = helper
  if (helper.doing || queue.length === 0) return
  const first = Math.max(0, queue.findIndex(comesFirst))
  const [task] = queue.splice(first, 1)
  helper.doing = task!
  const policies: Handed[] = []
  const used = new Set<number>()
  const question = withPolicies(task!.question, (policy) => {
    const number = numbers.get(policy) ?? numbers.set(policy, ++lastNumber).get(policy)!
    if (!knownPolicies.delete(number)) policies.push(handed(number, policy, knownPolicies))
    knownPolicies.set(number, policy)
    used.add(number)
    return number
  })
  const forget = [...knownPolicies.keys()].slice(
    0,
    Math.max(0, knownPolicies.size - Math.max(MAX_POLICIES, used.size)),
  )
  forget.forEach((number) => knownPolicies.delete(number))
  worker.postMessage({ question, policies, forget } satisfies Asked)
}

/**
 * Keeps the answer to a question that changes, with the question that it answers; `null` until the first.
 * While one is being worked out only the newest waits: those in between are never asked.
 */
export function useAsked<Q extends Question>(
  question: () => Q | null,
): ShallowRef<{ readonly question: Q; readonly answer: AnswerOf<Q> } | null> {
  const found = shallowRef(null) as ShallowRef<{ question: Q; answer: AnswerOf<Q> } | null>
  let asking = false
  let next: Q | null | undefined
  const stop = watch(
    question,
    async (newest) => {
      next = newest
      if (asking) return
      asking = true
      try {
        while (next !== undefined) {
          // Work for the screen comes first, and while somebody types nothing is compared at every key.
          if (next && isComparing(next)) await new Promise((resolve) => setTimeout(resolve, quietFor(next!)))
          const asked: Q | null = next
          next = undefined
          found.value = asked && { question: asked, answer: await decide(asked) }
        }
      } finally {
        asking = false
      }
    },
    { immediate: true },
  )
  onScopeDispose(stop)
  return found
}

function quietFor(question: Question): number {
  return question.kind === 'findings' && question.policy.siteLists.some(elsewhere) ? LONG_QUIET_MS : QUIET_MS
}

/** Keeps the answer alone. */
export function useDecided<Q extends Question>(question: () => Q | null): ComputedRef<AnswerOf<Q> | null> {
  const found = useAsked(question)
  return computed(() => found.value?.answer ?? null)
}

function handed(number: number, policy: Policy, knownPolicies: ReadonlyMap<number, Policy>): Handed {
  const parts: Record<string, unknown> = {}
  const as: [keyof Policy, number][] = []
  for (const part of Object.keys(policy) as (keyof Policy)[]) {
    const same = [...knownPolicies].find(([, other]) => other[part] === policy[part])
    // Handing over a long list takes seconds, and it is only asked whether it is the same.
    if (!same) parts[part] = part === 'siteLists' ? policy.siteLists.map(lightList) : policy[part]
    else as.push([part, same[0]])
  }
  return { number, own: parts, as }
}

/** A list whose sites, where they are many, are one mark, the same for the same sites. */
function lightList(list: SiteList): SiteList {
  return list.entries.length < LONG_LIST ? list : { ...list, entries: [markOf(list.entries)] }
}

const marks = new WeakMap<readonly string[], string>()
/**
 * Counts and hashes texts (FNV-1a, twice 32 bits): a cryptographic digest of a million takes half a second.
 */
function markOf(entries: readonly string[]): string {
  const known = marks.get(entries)
  if (known !== undefined) return known
  let [one, other] = [0x811c9dc5, 0x01000193]
  for (const entry of entries) {
    for (let at = 0; at < entry.length; at++) {
      one = Math.imul(one ^ entry.charCodeAt(at), 0x01000193)
      other = Math.imul(other ^ entry.charCodeAt(at), 0x85ebca6b)
    }
    one = Math.imul(one ^ 10, 0x01000193)
    other = Math.imul(other ^ 10, 0x85ebca6b)
  }
  const mark = `${entries.length} ${one >>> 0} ${other >>> 0}`
  marks.set(entries, mark)
  return mark
}

function start(): Helper {
  const worker = new Worker(new URL('../workers/decide.ts', import.meta.url), { type: 'module', name: PLACE })
  const helper: Helper = { worker, knownPolicies: new Map(), queue: [], doing: null }
  worker.onmessage = ({ data }: MessageEvent<Answered>) => {
    const { resolve, reject } = helper.doing!
    helper.doing = null
    if ('fault' in data) reject(new Error(data.fault))
    else resolve(data.answer)
    next(helper)
  }
  // Its open questions fail; the next question starts another worker.
  worker.onerror = (event) => {
    worker.terminate()
    if (helpers.drawing === helper) delete helpers.drawing
    if (helpers.comparing === helper) delete helpers.comparing
    const tasks = [...(helper.doing ? [helper.doing] : []), ...helper.queue.splice(0)]
    for (const { reject } of tasks)
      reject(new Error(shellText.partNotLoaded(event.message ? ` (${event.message})` : '')))
  }
  return helper
}
