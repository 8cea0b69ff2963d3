import type { Override, Policy } from '../policy/types.ts'
import { localText, readInstant } from '../time/instant.ts'
import { amountWords, whatWords, whoWords } from './rule.ts'

/**
 * The subject of an override in words: those whom it names, and addresses by the names that they have.
 *
 * @param nameOfMac the name of an address that belongs to no device; by default the address
 */
export function subjectWords(
  who: Override['who'],
  policy: Policy,
  nameOfMac: (mac: string) => string = (mac) => mac,
): string {
  return [whoWords(who, policy), ...who.macs.map(nameOfMac)]
    .filter((words) => words !== 'No device yet')
    .join(', ')
}

/**
 * An override in words: "Allowed: Lena’s tablet, 2026-11-28 18:00 until 18:30 (homework)", for a part
 * "Blocked: Lena’s tablet from reelbrook.example, …".
 */
export function overrideWords(
  { effect, who, what, more, from, until, note }: Override,
  policy: Policy,
): string {
  const zone = policy.place.timeZone
  const local = (instant: string) => localText(readInstant(instant)!, zone).slice(0, 16).replace('T', ' ')
  const [start, end] = [local(from), until === null ? null : local(until)]
  const isSameDay = end !== null && end.slice(0, 10) === start.slice(0, 10)
  const ends = end === null ? 'with no end' : `until ${isSameDay ? end.slice(11) : end}`
  const about = note === '' ? '' : ` (${note})`
  const restriction = effect === 'allow' ? 'Allowed' : 'Blocked'
  const act = more === null ? restriction : `${amountWords(more)} more`
  const part = what === null ? '' : ` ${effect === 'allow' ? 'to' : 'from'} ${whatWords(what, policy)}`
  return `${act}: ${subjectWords(who, policy)}${part}, ${start} ${ends}${about}`
}
