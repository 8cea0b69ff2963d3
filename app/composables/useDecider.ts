import { computed, onScopeDispose, shallowRef, watch, type ComputedRef, type ShallowRef } from 'vue'
import type { DeviceChange } from '../../core/change/hours.ts'
import type { MetWeek } from '../../core/decision/met.ts'
import type { Timeline } from '../../core/decision/timeline.ts'
import type { PolicyFinding } from '../../core/findings/rules.ts'
import type { Turn } from '../components/board/turns.ts'
import type { Step } from '../components/ribbon/steps.ts'
import type { Policy } from '../../core/policy/types.ts'
import { withPolicies, type Answered, type Asked, type Question } from '../workers/question.ts'

interface Answers { timelines: Timeline[], eras: Timeline[], steps: Step[], turns: Turn[], metWeeks: MetWeek[], findings: PolicyFinding[], changes: DeviceChange[] }
type AnswerOf<Q extends Question> = Answers[Q['kind']]

interface Task { readonly question: Question, readonly resolve: (answer: unknown) => void, readonly reject: (error: Error) => void }
/** A worker with what it is to do, what it does, and the numbers of the policies that it has, the last used at the end. */
interface Helper { readonly worker: Worker, readonly held: Set<number>, readonly queue: Task[], doing: Task | null }
/** What is drawn has a worker of its own: findings and differences take a while, and nobody should wait for them to see a band. */
const helpers: { drawing?: Helper, comparing?: Helper } = {}
const isComparing = ({ kind }: Question) => kind === 'findings' || kind === 'changes'
/** Bands are worked out before what counts everybody. */
const comesFirst = ({ question: { kind } }: Task) => kind === 'eras' || kind === 'timelines'
/** How long findings and differences wait, in milliseconds. */
const QUIET = 250
/** How many policies a worker keeps. */
const HELD = 8
const numbers = new WeakMap<Policy, number>()
let lastNumber = 0

/** Loads the worker that draws, so that it is there when it is first asked. */
export function prepare(): void {
  helpers.drawing ??= start()
}

/** Asks a worker that works out timelines, differences and findings off the page's thread. Policies are plain data that nobody changes: each is handed over once. */
export function decide<Q extends Question>(question: Q): Promise<AnswerOf<Q>> {
  const helper = helpers[isComparing(question) ? 'comparing' : 'drawing'] ??= start()
  return new Promise((resolve, reject) => {
    helper.queue.push({ question, resolve: resolve as (answer: unknown) => void, reject })
    // After all that this change makes one ask.
    queueMicrotask(() => next(helper))
  })
}

function next(helper: Helper): void {
  const { worker, held, queue } = helper
  if (helper.doing || queue.length === 0) return
  const first = Math.max(0, queue.findIndex(comesFirst))
  const [task] = queue.splice(first, 1)
  helper.doing = task!
  const policies: [number, Policy][] = []
  const used = new Set<number>()
  const question = withPolicies(task!.question, (policy) => {
    const number = numbers.get(policy) ?? numbers.set(policy, ++lastNumber).get(policy)!
    if (!held.delete(number)) policies.push([number, lightened(policy)])
    held.add(number)
    used.add(number)
    return number
  })
  const forget = [...held].slice(0, Math.max(0, held.size - Math.max(HELD, used.size)))
  forget.forEach(number => held.delete(number))
  worker.postMessage({ question, policies, forget } satisfies Asked)
}

/** Keeps the answer to a question that changes, with the question that it answers; `null` until the first. While one is being worked out only the newest waits: those in between are never asked. */
export function useAsked<Q extends Question>(question: () => Q | null): ShallowRef<{ readonly question: Q, readonly answer: AnswerOf<Q> } | null> {
  const found = shallowRef(null) as ShallowRef<{ question: Q, answer: AnswerOf<Q> } | null>
  let asking = false
  let next: Q | null | undefined
  const stop = watch(question, async (newest) => {
    next = newest
    if (asking) return
    asking = true
    try {
      while (next !== undefined) {
        // What is drawn comes first, and while somebody types it is not compared at every key.
        if (next && isComparing(next)) await new Promise(resolve => setTimeout(resolve, QUIET))
        const asked: Q | null = next
        next = undefined
        found.value = asked && { question: asked, answer: await decide(asked) }
      }
    } finally {
      asking = false
    }
  }, { immediate: true })
  onScopeDispose(stop)
  return found
}

/** Keeps the answer alone. */
export function useDecided<Q extends Question>(question: () => Q | null): ComputedRef<AnswerOf<Q> | null> {
  const found = useAsked(question)
  return computed(() => found.value?.answer ?? null)
}

// How states change over time does not depend on what a list names, and a long one takes seconds to hand over.
const lightened = (policy: Policy): Policy => ({ ...policy, siteLists: policy.siteLists.map(list => ({ ...list, entries: [] })) })

function start(): Helper {
  const worker = new Worker(new URL('../workers/decide.ts', import.meta.url), { type: 'module' })
  const helper: Helper = { worker, held: new Set(), queue: [], doing: null }
  const done = (tell: (task: Task) => void) => {
    const task = helper.doing!
    helper.doing = null
    tell(task)
    next(helper)
  }
  worker.onmessage = ({ data }: MessageEvent<Answered>) => done(task => 'fault' in data ? task.reject(new Error(data.fault)) : task.resolve(data.answer))
  worker.onerror = ({ message }) => done(task => task.reject(new Error(message)))
  return helper
}
