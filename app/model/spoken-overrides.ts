import { HOUR, MINUTE, readDuration } from '../../core/time/duration.ts'
import { readSpoken } from '../../core/time/spoken.ts'
import type { Effect, Policy } from '../../core/policy/types.ts'
import { lengthWords } from '../../core/words/length.ts'
import { shellText } from '../text/shell.ts'
import { whenWords } from '../text/time.ts'
import { matching } from './match-names.ts'
import { GUEST_STAYS } from './networks.ts'
import { peopleOf } from './people.ts'
import type { Suggestion, Whom } from './suggestion.ts'

const VERBS: readonly [RegExp, Effect][] = [
  [/^(?:open|allow|let|unblock)(?:\s+|$)/i, 'allow'],
  [/^(?:cut\s+off|cut|block|close|turn\s+off)(?:\s+|$)/i, 'block'],
]
/** A verb behind its subject, with the end after it: "big screen off 30 min"; "on fri 22:00" is no verb. */
const VERB_BEHIND = /^(.+?)\s+(off|on(?=\s*$|\s+(?:for|until|till)\b|\s+\d+\s*(?:[hm]|$)))(?:\s+(.*))?$/i

/** The ends that an override is offered with where none is typed, in seconds from now. */
const ENDS = [1800, HOUR, 7200]
/** The same for a device that no rule knows: a guest stays for a while. */
const GUEST_ENDS = [GUEST_STAYS, HOUR, 12 * HOUR]

/** "all of Front of house", "the apprentices": words that say that a whole group is meant. */
const WHOLE = /^(?:(?:all|everyone|everybody)(?:\s+(?:of|in))?|the)\s+/i

/**
 * Returns the overrides that a text may mean: with a verb in front ("allow lena tablet 30 min"), behind ("big
 * screen off 30 min") or none ("lena 10 more minutes"); `now` in seconds.
 */
export function spokenOverrides(
  said: string,
  policy: Policy,
  whom: readonly Whom[],
  now: number,
  zone: string,
): Suggestion[] {
  const verb = VERBS.find(([start]) => start.test(said))
  return verb
    ? overrides(said.replace(verb[0], ''), verb[1], whom, now, zone)
    : withoutVerb(said, policy, whom, now, zone)
}

function overrides(
  rest: string,
  effect: Effect,
  whom: readonly Whom[],
  now: number,
  zone: string,
): Suggestion[] {
  const words = rest.split(/\s+/).filter(Boolean)
  // The longest end of the text that says when it ends.
  for (let count = words.length; count >= 0; count--) {
    const [name, end] = [words.slice(0, count).join(' '), words.slice(count).join(' ')]
    const exact = WHOLE.test(name)
      ? matching(
          whom.filter(({ kind }) => kind === 'group'),
          name.replace(WHOLE, ''),
          (one) => one.name,
        )
      : []
    // Words that only happen to lie within others ("all" in "Hall radio") are not meant.
    const found =
      exact.length > 0 ? exact : matching(whom, name, (one) => `${one.name} ${one.alias ?? ''}`.trim(), true)
    const typed = end === '' ? null : endOf(end, now, zone)
    if (found.length === 0 || typed === undefined) continue
    let ends: readonly End[]
    if (end !== '') ends = [typed]
    else if (found.length > 1) ends = lengths(ENDS.slice(0, 2))
    else ends = [...lengths(found[0]!.kind === 'unknown' ? GUEST_ENDS : ENDS), null]
    // Devices with a name come before unknown ones.
    const isUnknown = ({ kind }: Whom) => kind === 'unknown'
    const ordered = [...found.filter((one) => !isUnknown(one)), ...found.filter(isUnknown)]
    return ordered.slice(0, 5).flatMap((one) => ends.map((end) => overrideOf(one, effect, end, now, zone)))
  }
  return []
}

/**
 * Overrides that are said without a verb in front: "big screen off 30 min", "lena 10 more minutes", and "10 more
 * minutes", which asks for whom. A text that is a name is that name alone.
 */
function withoutVerb(
  said: string,
  policy: Policy,
  whom: readonly Whom[],
  now: number,
  zone: string,
): Suggestion[] {
  if (matching(whom, said, ({ name }) => name, true).length > 0) return []
  const [, subject, verb, end = ''] = VERB_BEHIND.exec(said) ?? []
  if (subject !== undefined)
    return overrides(`${subject} ${end}`, verb!.toLowerCase() === 'off' ? 'block' : 'allow', whom, now, zone)
  const words = said.split(/\s+/)
  const length = lengthOf(said)
  if (length !== null && words.length > 1) {
    const people = peopleOf(policy)
    return (people.length > 0 ? people : policy.groups)
      .slice(0, ASKED_FOR)
      .map(({ id, name }) => overrideOf({ id, name, kind: 'group' }, 'allow', { lasts: length }, now, zone))
  }
  const endsInLength = words.some((_, index) => index > 0 && lengthOf(words.slice(index).join(' ')) !== null)
  return endsInLength ? overrides(said, 'allow', whom, now, zone) : []
}

/** The people for whom a length alone is offered. */
const ASKED_FOR = 6

/** Reads the length of an override in seconds: a number alone is minutes; `null` = it is none. */
function lengthOf(text: string): number | null {
  const said = text.replace(/^for\s+/i, '').replace(/(?:^|\s+)more(?=\s|$)/i, '')
  return /^\d{1,4}$/.test(said.trim()) ? Number(said) * MINUTE || null : readDuration(said)
}

const lengths = (all: readonly number[]): End[] => all.map((lasts) => ({ lasts }))

/** The end of an override: after so many seconds, at an instant (seconds), or once it is ended (`null`). */
type End = { readonly lasts: number } | { readonly until: number } | null

/** The end that a text says, undefined where it is no end to come. */
function endOf(text: string, now: number, zone: string): End | undefined {
  const lasts = lengthOf(text)
  if (lasts !== null) return { lasts }
  // "until 22" is an hour of the day.
  const said = text.replace(/^(?:until|till)\s+(\d{1,2})$/i, '$1:00').replace(/^(?:for|until|till)\s+/i, '')
  if (/^(?:i |you )?end(?:ed)?(?: it)?$|^lifted$/i.test(said)) return null
  const until = readSpoken(said, zone, now)
  return until !== null && until > now ? { until } : undefined
}

function overrideOf(
  { id, name, kind }: Whom,
  effect: Effect,
  ends: End,
  now: number,
  zone: string,
): Suggestion {
  // A length stays a length, whatever the clock of this page reads.
  const lasts = ends && 'lasts' in ends ? ends.lasts : null
  const until = ends && 'until' in ends ? ends.until : null
  let end
  if (lasts !== null) end = shellText.forLength(lengthWords(lasts))
  else if (until !== null) end = shellText.until(whenWords(until, now, zone))
  else end = shellText.untilEnded
  const ids = (wanted: Whom['kind']) => (kind === wanted ? [id] : [])
  const who = {
    devices: ids('device'),
    groups: ids('group'),
    networks: ids('network'),
    macs: ids('unknown'),
  }
  return {
    // The end moves on with the clock; what is meant does not.
    key: `${effect} ${kind} ${id} ${end}`,
    sort: 'override',
    label: `${effect === 'allow' ? shellText.allow : shellText.block} ${name} ${end}`,
    act: {
      kind: 'override',
      effect,
      who,
      until,
      lasts,
      said: shellText.overrideMade(name, effect === 'allow', end),
    },
  }
}
