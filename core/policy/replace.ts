import { ENTRY_KINDS, type NamedKind } from './kinds.ts'
import type { Rule, Who } from './types.ts'

/**
 * Ids with another in the place of one, or with `null` without it; each once.
 *
 * @example replaced(['day', 'noon'], 'noon', 'night') // ['day', 'night']
 */
export function replaced(ids: readonly string[], id: string, instead: string | null): readonly string[] {
  return ids.includes(id)
    ? [
        ...new Set(
          ids.flatMap((one) => {
            if (one !== id) return [one]
            if (instead === null) return []
            return [instead]
          }),
        ),
      ]
    : ids
}

/**
 * A rule that names something else of the same kind in its place, or with `null` nothing in its place.
 *
 * @returns `null` where it would be left without any hours, which no rule can be; a rule that is left with
 *   nobody to apply to, or with nothing to cover, stays as such
 */
export function replaceIn(rule: Rule, kind: NamedKind, id: string, instead: string | null): Rule | null {
  const swap = (ids: readonly string[]) => replaced(ids, id, instead)
  if (kind === 'schedule') {
    const { when } = rule
    if (!('schedules' in when)) return rule
    const schedules = swap(when.schedules)
    return schedules.length === 0 ? null : { ...rule, when: { ...when, schedules } }
  }
  if (kind === 'siteList' || kind === 'app') {
    const part = ENTRY_KINDS[kind].key
    return { ...rule, what: { ...rule.what, [part]: swap(rule.what[part]) } }
  }
  const part = ENTRY_KINDS[kind].key
  const who: Who = {
    ...rule.who,
    [part]: swap(rule.who[part]),
    except: { ...rule.who.except, [part]: swap(rule.who.except[part]) },
  }
  return { ...rule, who }
}
