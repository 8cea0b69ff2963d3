import type { SavedActAnswer, SightingAnswer } from '../../protocol/answers.ts'
import { matching } from './match-names.ts'
import { needOfPage, PAGES } from './pages.ts'
import { spokenOverrides } from './spoken-overrides.ts'
import type { Act, Suggestion, Whom } from './suggestion.ts'
import { newcomersOf } from './unknown-devices.ts'
import type { Policy } from '../../core/policy/types.ts'
import { readDestination } from '../../core/destination/destination.ts'
import type { SpokenSpan } from '../../core/time/spoken-span.ts'
import { readSpoken } from '../../core/time/spoken.ts'
import { lengthWords } from '../../core/words/length.ts'
import { MINUTE } from '../../core/time/duration.ts'
import { isWithin } from '../../protocol/helper-limit.ts'
import type { HelperLimit, Need } from '../../protocol/roles.ts'
import { clockOf, dateWords } from '../text/time.ts'
import { shellText } from '../text/shell.ts'

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
  saved: readonly SavedActAnswer[] = [],
): Suggestion[] {
  const said = text.trim()
  const zone = policy.place.timeZone
  const whom: Whom[] = [
    ...policy.groups.map(({ id, name }) => ({ id, name, kind: 'group' as const })),
    ...policy.devices.map(({ id, name }) => ({ id, name, kind: 'device' as const })),
    ...policy.networks.map(({ id, name }) => ({ id, name, kind: 'network' as const })),
    ...unknownOnes(policy, sightings),
  ]
  return [
    ...matching(saved, said, ({ name }) => name, true).map(savedAct),
    ...spokenOverrides(said, { policy, whom, now, zone }),
    ...blockedAt(said, now, zone),
    ...reachOf(said, now, zone),
    ...sameRules(said, policy),
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
  const { who } = act.kind === 'saved' ? act.act : act
  const end = act.kind === 'saved' ? now + act.act.lasts : endOf(act, now)
  const isShort = limit === null || (end !== null && end <= now + limit.minutes * MINUTE)
  return mayDo('help') && isShort && (limit === null || isWithin(limit, policy, who))
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

/**
 * Who can reach a site, from "who can reach reelbrook.example tomorrow at 10", or from its name or address
 * alone.
 */
function reachOf(said: string, now: number, zone: string): Suggestion[] {
  const [, asked] = /^who\s+can\s+(?:reach|open|use)\s+(.+)$/i.exec(said) ?? []
  const [site = '', ...rest] = (asked ?? said).split(/\s+/)
  const isSite = /^\S+[.:]\S+$/.test(site) && !('fault' in readDestination(site))
  if (!isSite || (asked === undefined && (rest.length > 0 || readSpoken(site, zone, now) !== null))) return []
  const moment = rest.join(' ')
  const at =
    moment === '' || /^now$/i.test(moment) ? null : readSpoken(moment.replace(/^at /i, ''), zone, now)
  if (at === null && moment !== '' && !/^now$/i.test(moment)) return []
  return [
    {
      key: `reach ${site} ${at}`,
      label: shellText.whoCanReach(site, at === null ? null : momentWords(at, zone)),
      sort: 'moment',
      act: { kind: 'look', at, to: `/sites?ask=${encodeURIComponent(site)}` },
    },
  ]
}

const endOf = ({ lasts, until }: SpokenSpan, now: number) => (lasts === null ? until : now + lasts)

/** The newest unknown device with the rules of another, from "same rules as lena tablet". */
function sameRules(said: string, { devices }: Policy): Suggestion[] {
  const [, name] = /^(?:the\s+)?same\s+rules\s+as\s+(.+)$/i.exec(said) ?? []
  if (name === undefined) return []
  return matching(devices, name, (one) => one.name, true).map((one) => ({
    key: `like ${one.id}`,
    label: shellText.sameRulesAs(one.name),
    sort: 'act',
    act: { kind: 'go', to: `/devices?like=${encodeURIComponent(one.id)}` },
  }))
}

/** A saved act as a line: what it does, under its name. */
function savedAct(act: SavedActAnswer): Suggestion {
  return {
    key: `saved ${act.id}`,
    label: shellText.savedAct(act.name, lengthWords(act.lasts)),
    sort: 'override',
    act: { kind: 'saved', act },
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
