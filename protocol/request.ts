import { DAY, HOUR } from '../core/time/duration.ts'
import { flag, list, record, show, text, type Fault, type Reader } from '../core/policy/shape.ts'
import { readInstant } from '../core/time/instant.ts'

/** For how many minutes one may ask. */
export const ASK_MINUTES = [15, 30, 60, 120] as const
/** The most characters of the words of a request. */
export const ASK_WORDS_LENGTH = 200
/** The time for which a request waits for an answer, and the time after which it is deleted, in seconds. */
export const REQUEST_WAITS = 2 * HOUR
export const REQUEST_KEPT = DAY

/**
 * The answer to a request; `until` = the end of the time that was granted, `null` where none
 * was.
 */
export interface RequestAnswer {
  readonly granted: boolean
  readonly until: string | null
}

/** A device's request for more time, by the MAC address from which it came; instants in UTC. */
export interface AccessRequest {
  readonly id: string
  readonly mac: string
  readonly minutes: number
  readonly words: string
  readonly at: string
  /** `null` = nobody answered. */
  readonly answer: RequestAnswer | null
}

/** Whether a request waits for an answer at an instant (seconds). */
export function isWaiting({ at, answer }: Pick<AccessRequest, 'at' | 'answer'>, now: number): boolean {
  return answer === null && Math.abs(now - readInstant(at)!) < REQUEST_WAITS
}

const anyText = text(
  (value) => value,
  () => '',
)
const instant = text(
  (value) => (readInstant(value) === null ? null : value),
  () => 'is not an instant',
)
const nullable =
  <T>(reader: Reader<T>): Reader<T | null> =>
  (value, path, faults) =>
    value === null ? null : reader(value, path, faults)
const minutes: Reader<number> = (value, path, faults) => {
  if (!Number.isInteger(value)) faults.push({ path, message: `is ${show(value)}: it must be a whole number` })
  return Number(value)
}
const answerReader: Reader<RequestAnswer> = record({ granted: flag(), until: nullable(instant) })
/** Reads an answer to a request; `null` where it is none. */
export function readAnswer(value: unknown): RequestAnswer | null {
  const faults: Fault[] = []
  const answer = answerReader(value, '', faults)
  return faults.length > 0 || answer.granted !== (answer.until !== null) ? null : answer
}

const requestsReader: Reader<readonly AccessRequest[]> = list(
  record({
    id: anyText,
    mac: anyText,
    minutes,
    words: anyText,
    at: instant,
    answer: nullable(answerReader),
  }),
)

/** Reads requests as they were stored; `null` where they are none. */
export function readRequests(value: unknown): readonly AccessRequest[] | null {
  const faults: Fault[] = []
  const requests = requestsReader(value, '', faults)
  return faults.length > 0 ? null : requests
}
