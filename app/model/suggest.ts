import type { SightingAnswer } from '../../protocol/answers.ts'
import { GUEST_STAYS } from './networks.ts'
import { matching } from './match-names.ts'
import { needOfPage, PAGES } from './pages.ts'
import { peopleOf } from './people.ts'
import { newcomersOf } from './unknown-devices.ts'
import type { Effect, Policy } from '../../core/policy/types.ts'
import { readSpoken } from '../../core/time/spoken.ts'
import { HOUR, MINUTE, readDuration } from '../../core/time/duration.ts'
import { isWithin } from '../../protocol/helper-limit.ts'
import type { HelperLimit, Need } from '../../protocol/roles.ts'
import { clockOf, dateWords, whenWords } from '../text/time.ts'
import { lengthWords } from '../../core/words/length.ts'
import { shellText } from '../text/shell.ts'

/**
 * The act of a suggestion. An override's `until` is an instant in seconds, `null` = until it is
 * lifted; a look's `at` is one, `null` = now.
 */
export type Act =
  | { readonly kind: 'go'; readonly to: string }
  | { readonly kind: 'look'; readonly at: number | null; readonly to: string | null }
  | {
      readonly kind: 'override'
      readonly effect: Effect
      readonly who: {
        readonly devices: readonly string[]
        readonly groups: readonly string[]
        readonly networks: readonly string[]
        readonly macs: readonly string[]
      }
      readonly until: number | null
      readonly lasts: number | null
      readonly said: string
    }
  | { readonly kind: 'do'; readonly what: 'undo' | 'redo' | 'theme' | 'sign-out' | 'now' | 'keys' }

/** A line of the palette: what it is called, what sort of thing it is, and what choosing it does. */
export interface Suggestion {
  readonly key: string
  readonly label: string
  readonly sort: string
  readonly act: Act
}

/** The most lines that are shown. */
export const SHOWN = 12

/** The rights of the user. */
export interface Permission {
  readonly mayDo: (need: Need) => boolean
  readonly limit: HelperLimit | null
}

const NAMED = PAGES.toSpliced(5, 0, ['/review', shellText.reviewChanges, 'edit'])
const ACTS: readonly [string, Act][] = [
  [shellText.newRule, { kind: 'go', to: '/rules?new' }],
  [shellText.newSchedule, { kind: 'go', to: '/schedules?new' }],
  [shellText.newDevice, { kind: 'go', to: '/devices?new' }],
  [shellText.guestPass, { kind: 'go', to: '/devices?guest' }],
  [shellText.newList, { kind: 'go', to: '/sites?new=list' }],
  [shellText.newApp, { kind: 'go', to: '/sites?new=app' }],
  [shellText.learnAnApp, { kind: 'go', to: '/sites?new=learn' }],
  [shellText.undoTheLastEdit, { kind: 'do', what: 'undo' }],
  [shellText.redo, { kind: 'do', what: 'redo' }],
  [shellText.backToNow, { kind: 'do', what: 'now' }],
  [shellText.lightOrDark, { kind: 'do', what: 'theme' }],
  [shellText.keyboardShortcuts, { kind: 'do', what: 'keys' }],
  [shellText.signOut, { kind: 'do', what: 'sign-out' }],
]
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

/**
 * The possible subjects of an override: the name of each, with other words for it, by its id or MAC
 * address.
 */
interface Whom {
  readonly id: string
  readonly name: string
  readonly alias?: string
  readonly kind: 'device' | 'group' | 'network' | 'unknown'
}

/**
 * Returns the possible meanings of a typed text, the likeliest first: something done to a device or group
 * ("allow lena tablet 30 min", "lena 10 more minutes", "block big screen until 22:00"), a device at a moment
 * ("big screen fri 22:00"), a moment, or the name of a thing, a page or an act. `now` in seconds.
 *
 * @example suggestions('lena 10', policy, now)[0].label // 'Allow Lena for 10 min'
 * @example suggestions('who is blocked sat 23:00', policy, now)[0].label // 'Who is blocked on Sat 28 Nov, 23:00'
 */
export function suggestions(
  text: string,
  policy: Policy,
  now: number,
  sightings: readonly SightingAnswer[] = [],
  permission: Permission = { mayDo: () => true, limit: null },
): Suggestion[] {
  const said = text.trim()
  const zone = policy.place.timeZone
  const whom: Whom[] = [
    ...policy.groups.map(({ id, name }) => ({ id, name, kind: 'group' as const })),
    ...policy.devices.map(({ id, name }) => ({ id, name, kind: 'device' as const })),
    ...policy.networks.map(({ id, name }) => ({ id, name, kind: 'network' as const })),
    ...unknownOnes(policy, sightings),
  ]
  const verb = VERBS.find(([start]) => start.test(said))
  const done = verb
    ? overrides(said.replace(verb[0], ''), verb[1], whom, now, zone)
    : withoutVerb(said, policy, whom, now, zone)
  return [
    ...done,
    ...blockedAt(said, now, zone),
    ...moments(said, whom, now, zone),
    ...named(said, policy, whom),
  ]
    .filter(({ act }) => isAllowed(act, policy, now, permission))
    .slice(0, SHOWN)
}

/** Whether somebody may do what a suggestion does. */
function isAllowed(act: Act, policy: Policy, now: number, { mayDo, limit }: Permission): boolean {
  if (act.kind === 'go') return mayDo(needOfPage(act.to))
  if (act.kind === 'do') return mayDo(act.what === 'undo' || act.what === 'redo' ? 'edit' : 'see')
  if (act.kind === 'look') return true
  const end = act.lasts === null ? act.until : now + act.lasts
  const isShort = limit === null || (end !== null && end <= now + limit.minutes * MINUTE)
  return mayDo('help') && isShort && (limit === null || isWithin(limit, policy, act.who))
}

/**
 * Unknown devices that are connected, by what they call themselves and by address; the latest is "the one
 * that just came".
 */
function unknownOnes(policy: Policy, sightings: readonly SightingAnswer[]): Whom[] {
  return newcomersOf(policy, sightings)
    .filter(({ connected }) => connected)
    .sort((a, b) => b.firstSeen.localeCompare(a.firstSeen))
    .map(({ mac, hostName, addresses }, index) => ({
      id: mac,
      name: hostName ?? mac,
      alias: [mac, ...addresses, index === 0 ? shellText.justCame : ''].join(' '),
      kind: 'unknown' as const,
    }))
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
    if (found.length === 0 || (count < words.length && endOf(end, now, zone) === undefined)) continue
    let ends: readonly End[]
    if (count < words.length) ends = [endOf(end, now, zone)!]
    else if (found.length > 1) ends = lengths(ENDS.slice(0, 2))
    else ends = [...lengths(found[0]!.kind === 'unknown' ? GUEST_ENDS : ENDS), null]
    // Who has a name comes before who has none.
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
  const count = words.findIndex((_, index) => index > 0 && lengthOf(words.slice(index).join(' ')) !== null)
  return count < 0 ? [] : overrides(said, 'allow', whom, now, zone)
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

/** The board at the moment of which "who is blocked sat 23:00" speaks. */
function blockedAt(said: string, now: number, zone: string): Suggestion[] {
  const [, moment] = /^who(?:[’']s|\s+is|\s+are)?\s+blocked\b\s*(?:at\s+|on\s+)?(.*)$/i.exec(said) ?? []
  if (moment === undefined) return []
  const at = /^(?:now)?$/i.test(moment) ? null : readSpoken(moment, zone, now)
  if (at === null && moment !== '' && moment.toLowerCase() !== 'now') return []
  const when = at === null ? null : momentWords(at, zone)
  return [
    {
      key: `blocked ${at}`,
      label: shellText.whoIsBlocked(when),
      sort: 'moment',
      act: { kind: 'look', at, to: '/' },
    },
  ]
}

const momentWords = (at: number, zone: string) => `${dateWords(at, zone)}, ${clockOf(at, zone)}`

function moments(said: string, whom: readonly Whom[], now: number, zone: string): Suggestion[] {
  if (said === '') return []
  const exact = readSpoken(said, zone, now)
  if (exact !== null)
    return [
      {
        key: `look ${exact}`,
        label: momentWords(exact, zone),
        sort: 'moment',
        act: { kind: 'look', at: exact, to: null },
      },
    ]
  const words = said.split(/\s+/)
  for (let count = 1; count < words.length; count++) {
    const at = readSpoken(words.slice(count).join(' '), zone, now)
    const devices =
      at === null
        ? []
        : matching(
            whom.filter(({ kind }) => kind === 'device'),
            words.slice(0, count).join(' '),
            (one) => one.name,
          )
    if (devices.length > 0)
      return devices.slice(0, 6).map(({ id, name }) => ({
        key: `look ${id} ${at}`,
        label: shellText.nameOn(name, momentWords(at!, zone)),
        sort: 'moment',
        act: { kind: 'look', at: at!, to: `/?device=${encodeURIComponent(id)}` },
      }))
  }
  return []
}

function named(said: string, policy: Policy, whom: readonly Whom[]): Suggestion[] {
  const go =
    (sort: string, path: string) =>
    ({ id, name }: { id: string; name: string }): Suggestion => ({
      key: `${sort} ${id}`,
      label: name,
      sort,
      act: { kind: 'go', to: `${path}${encodeURIComponent(id)}` },
    })
  const all: Suggestion[] = [
    ...whom.filter(({ kind }) => kind === 'device').map(go('device', '/?device=')),
    ...NAMED.map(([to, name]): Suggestion => ({
      key: `page ${to}`,
      label: name,
      sort: 'page',
      act: { kind: 'go', to },
    })),
    ...ACTS.map(([label, act]): Suggestion => ({ key: `act ${label}`, label, sort: 'act', act })),
    ...policy.rules.map(go('rule', '/rules/')),
    ...policy.schedules.map(go('schedule', '/schedules/')),
    ...policy.groups.map(go('group', '/devices?group=')),
    ...policy.siteLists.map(go('list', '/sites/lists/')),
    ...policy.apps.map(go('app', '/sites/apps/')),
  ]
  return said === ''
    ? all.filter(({ sort }) => sort === 'page' || sort === 'act')
    : matching(all, said, (one) => one.label)
}

/** "all of Front of house", "the apprentices": words that say that a whole group is meant. */
const WHOLE = /^(?:(?:all|everyone|everybody)(?:\s+(?:of|in))?|the)\s+/i
