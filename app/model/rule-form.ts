import { measureOf, sizeOf } from '../../core/allowance/limits.ts'
import type { Allowance, Policy, Rule, What, When, Who } from '../../core/policy/types.ts'
import { rulesText } from '../text/rules.ts'

/** The kinds of entries that can be made from inside a rule. */
export type MadeKind = 'group' | 'list' | 'schedule'

/** A rule to begin with: it meets nobody yet, and would cut off the internet. */
export const NEW_RULE: Rule = {
  id: '',
  name: '',
  enabled: true,
  logOnly: false,
  effect: 'block',
  note: '',
  who: {
    everyone: false,
    newcomers: false,
    devices: [],
    groups: [],
    networks: [],
    except: { devices: [], groups: [], networks: [] },
  },
  what: { internet: true, sites: [], siteLists: [], keywords: [], apps: [], categories: [], services: [] },
  when: { always: true },
  after: null,
}

/** Something that can be chosen in a part of the sentence; `value` is its kind and id ("group:front"). */
export interface Choice {
  readonly value: string
  readonly label: string
  readonly kind: string
}

/** Everybody whom a rule can name. */
export function whoChoices(policy: Policy): Choice[] {
  return [
    { value: 'everyone:', label: rulesText.everyone, kind: '' },
    { value: 'newcomers:', label: rulesText.unknownDevices, kind: '' },
    ...policy.networks.map(({ id, name }) => ({ value: `network:${id}`, label: name, kind: 'network' })),
    ...policy.groups.map(({ id, name }) => ({ value: `group:${id}`, label: name, kind: 'group' })),
    ...policy.devices.map(({ id, name }) => ({ value: `device:${id}`, label: name, kind: 'device' })),
  ]
}

/** Everything that a rule can close or open besides the internet as a whole. */
export function whatChoices(policy: Policy): Choice[] {
  return [
    ...policy.siteLists.map(({ id, name }) => ({ value: `list:${id}`, label: name, kind: 'list' })),
    ...[...new Set(policy.apps.map((app) => app.category))].map((category) => ({
      value: `category:${category}`,
      label: rulesText.apps(category),
      kind: 'category',
    })),
    ...policy.apps.map(({ id, name }) => ({ value: `app:${id}`, label: name, kind: 'app' })),
  ]
}

/** The chosen values of a rule's who, and of its exceptions. */
export function whoValues(who: Who): { named: string[]; except: string[] } {
  const values = ({ devices, groups, networks }: Who['except']) => [
    ...networks.map((id) => `network:${id}`),
    ...groups.map((id) => `group:${id}`),
    ...devices.map((id) => `device:${id}`),
  ]
  return {
    named: [...(who.everyone ? ['everyone:'] : []), ...(who.newcomers ? ['newcomers:'] : []), ...values(who)],
    except: values(who.except),
  }
}

/** The who that chosen values mean. */
export function whoOf(named: readonly string[], except: readonly string[]): Who {
  return {
    everyone: named.includes('everyone:'),
    newcomers: named.includes('newcomers:'),
    ...placesOf(named),
    except: placesOf(except),
  }
}

const placesOf = (values: readonly string[]): Who['except'] => ({
  devices: idsOf(values, 'device'),
  groups: idsOf(values, 'group'),
  networks: idsOf(values, 'network'),
})

/** The chosen values of a rule's what. */
export function whatValues(what: What): string[] {
  return [
    ...what.siteLists.map((id) => `list:${id}`),
    ...what.categories.map((id) => `category:${id}`),
    ...what.apps.map((id) => `app:${id}`),
  ]
}

/**
 * The what that chosen values mean; sites, keywords and services, which are not chosen from a list, stay as
 * they were.
 */
export function whatOf(internet: boolean, values: readonly string[], before: What): What {
  if (internet)
    return { internet, sites: [], siteLists: [], keywords: [], apps: [], categories: [], services: [] }
  return {
    ...before,
    internet,
    siteLists: idsOf(values, 'list'),
    categories: idsOf(values, 'category'),
    apps: idsOf(values, 'app'),
  }
}

/** The fields of an allowance; `isGiven` false = the rule blocks at once. */
export interface AllowanceFields {
  isGiven: boolean
  size: number
  measure: 'minutes' | 'megabytes'
  per: Allowance['per']
  from: string
  shared: boolean
}

/** The fields of an allowance, or those to begin with. */
export function allowanceFields(after: Allowance | null): AllowanceFields {
  if (after === null)
    return { isGiven: false, size: 120, measure: 'minutes', per: 'day', from: '04:00', shared: false }
  const { per, from, shared } = after
  return {
    isGiven: true,
    size: sizeOf(after),
    measure: measureOf(after),
    per,
    from,
    shared,
  }
}

/** The allowance that fields mean. */
export function allowanceOf({ isGiven, size, measure, ...period }: AllowanceFields): Allowance | null {
  if (!isGiven) return null
  return measure === 'minutes' ? { minutes: size, ...period } : { megabytes: size, ...period }
}

/** The ways to choose the times of a rule. */
export type Timing = 'always' | 'during' | 'outside' | 'once'

/** The timing of a rule's when. */
export function timingOf(when: When): Timing {
  if ('always' in when) return 'always'
  if ('from' in when) return 'once'
  if (when.outside) return 'outside'
  return 'during'
}

/** The when that the chosen timing means. */
export function whenOf(
  timing: Timing,
  schedules: readonly string[],
  once: { from: string; until: string },
): When {
  if (timing === 'always') return { always: true }
  return timing === 'once' ? once : { schedules, outside: timing === 'outside' }
}

function idsOf(values: readonly string[], kind: string): string[] {
  return values.filter((value) => value.startsWith(`${kind}:`)).map((value) => value.slice(kind.length + 1))
}
