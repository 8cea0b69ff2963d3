import { timesWithin } from '../../core/decision/candidate.ts'
import { DAY, HOUR } from '../../core/time/duration.ts'
import { readLength, readSpan, type SpokenSpan } from '../../core/time/spoken-span.ts'
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

/** How far ahead the next time of a schedule is looked for. */
const SCHEDULE_AHEAD = 14 * DAY
/** The ends that an override is offered with where none is typed, in seconds from now. */
const ENDS = [1800, HOUR, 7200]
/** The same for a device that no rule knows: a guest stays for a while. */
const GUEST_ENDS = [GUEST_STAYS, HOUR, 12 * HOUR]

/** What a text is understood by: who there is, and the moment in seconds at which it is typed. */
export interface Heard {
  readonly policy: Policy
  readonly whom: readonly Whom[]
  readonly now: number
  readonly zone: string
}

/** "all of Front of house", "the apprentices": words that say that a whole group is meant. */
const WHOLE = /^(?:(?:all|everyone|everybody)(?:\s+(?:of|in))?|the)\s+/i

/**
 * Returns the overrides that a text may mean: with a verb in front ("allow lena tablet 30 min"), behind ("big
 * screen off 30 min") or none ("lena 10 more minutes").
 */
export function spokenOverrides(said: string, heard: Heard): Suggestion[] {
  const verb = VERBS.find(([start]) => start.test(said))
  return verb ? overrides(said.replace(verb[0], ''), verb[1], heard) : withoutVerb(said, heard)
}

function overrides(rest: string, effect: Effect, heard: Heard): Suggestion[] {
  const { whom } = heard
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
    const typed = end === '' ? null : spanOf(end, heard)
    if (found.length === 0 || (end !== '' && typed === null)) continue
    const lengths = found[0]!.kind === 'unknown' ? GUEST_ENDS : ENDS
    let spans: readonly SpokenSpan[]
    if (typed !== null) spans = [typed]
    else if (found.length > 1) spans = ENDS.slice(0, 2).map(atOnce)
    else spans = [...lengths.map(atOnce), UNTIL_ENDED]
    // Devices with a name come before unknown ones.
    const isUnknown = ({ kind }: Whom) => kind === 'unknown'
    const ordered = [...found.filter((one) => !isUnknown(one)), ...found.filter(isUnknown)]
    return ordered.slice(0, 5).flatMap((one) => spans.map((span) => overrideOf(one, effect, span, heard)))
  }
  return []
}

/**
 * Overrides that are said without a verb in front: "big screen off 30 min", "lena 10 more minutes", and "10 more
 * minutes", which asks for whom. A text that is a name is that name alone.
 */
function withoutVerb(said: string, heard: Heard): Suggestion[] {
  const { policy, whom } = heard
  if (matching(whom, said, ({ name }) => name, true).length > 0) return []
  const [, subject, verb, end = ''] = VERB_BEHIND.exec(said) ?? []
  if (subject !== undefined)
    return overrides(`${subject} ${end}`, verb!.toLowerCase() === 'off' ? 'block' : 'allow', heard)
  const words = said.split(/\s+/)
  const length = readLength(said)
  if (length !== null && words.length > 1) {
    const people = peopleOf(policy)
    return (people.length > 0 ? people : policy.groups)
      .slice(0, ASKED_FOR)
      .map(({ id, name }) => overrideOf({ id, name, kind: 'group' }, 'allow', atOnce(length), heard))
  }
  const endsInLength = words.some(
    (_, index) => index > 0 && readLength(words.slice(index).join(' ')) !== null,
  )
  return endsInLength ? overrides(said, 'allow', heard) : []
}

/** The people for whom a length alone is offered. */
const ASKED_FOR = 6

const atOnce = (lasts: number): SpokenSpan => ({ from: null, lasts, until: null })
const UNTIL_ENDED: SpokenSpan = { from: null, lasts: null, until: null }

/**
 * The span that a text says; "at dinner" is the next time of a schedule of that name. `null` = it says no span
 * to come.
 */
function spanOf(text: string, { policy, now, zone }: Heard): SpokenSpan | null {
  const [, name] = /^(?:at|during|for)\s+(\D.*)$/i.exec(text) ?? []
  const [schedule] = name === undefined ? [] : matching(policy.schedules, name, (one) => one.name, true)
  if (!schedule) return readSpan(text, zone, now)
  const hours = timesWithin(policy, now, now + SCHEDULE_AHEAD)({ schedules: [schedule.id], outside: false })
  const [next] = hours
  return next ? { from: next.from > now ? next.from : null, lasts: null, until: next.until } : null
}

function overrideOf(
  { id, name, kind }: Whom,
  effect: Effect,
  span: SpokenSpan,
  { now, zone }: Heard,
): Suggestion {
  // A length stays a length, whatever the clock of this page reads.
  const { from, lasts, until } = span
  let end = shellText.untilEnded
  if (lasts !== null) end = shellText.forLength(lengthWords(lasts))
  else if (until !== null) end = shellText.until(whenWords(until, from ?? now, zone))
  if (from !== null) end = `${shellText.from(whenWords(from, now, zone))} ${end}`
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
      ...span,
      said: shellText.overrideMade(name, effect === 'allow', end),
    },
  }
}
