import { ENTRY_KINDS, KINDS, type EntryKind } from '../policy/kinds.ts'
import type { Policy } from '../policy/types.ts'
import equal from 'fast-deep-equal'

/** One thing in which two policies differ; `fields` are the keys that differ where it is in both. */
export interface Entry {
  readonly kind: EntryKind | 'place' | 'order'
  readonly id: string
  readonly name: string
  readonly change: 'added' | 'removed' | 'changed'
  readonly fields: readonly string[]
}

/** How many entries of each kind differ; a kind without a difference is missing. */
export type ChangeCounts = Readonly<Partial<Record<Entry['kind'], number>>>

/** Counts the differences between two policies by kind. */
export function countChanges(before: Policy, after: Policy): ChangeCounts {
  const counts: Partial<Record<Entry['kind'], number>> = {}
  for (const { kind } of entriesBetween(before, after)) counts[kind] = (counts[kind] ?? 0) + 1
  return counts
}

/**
 * Returns the differences between two policies, part by part: matched by id, removals named as they were. A
 * changed order of rules is one entry.
 */
export function entriesBetween(before: Policy, after: Policy): Entry[] {
  const place = fieldsOf(before.place, after.place)
  return [
    ...(place.length > 0
      ? [
          {
            kind: 'place' as const,
            id: '',
            name: after.place.name,
            change: 'changed' as const,
            fields: place,
          },
        ]
      : []),
    ...KINDS.flatMap((kind) => {
      const { key } = ENTRY_KINDS[kind]
      return listEntries(kind, before[key], after[key])
    }),
    ...orderEntry(before, after),
  ]
}

function listEntries(
  kind: EntryKind,
  before: readonly { id: string; name: string }[],
  after: readonly { id: string; name: string }[],
): Entry[] {
  const earlier = new Map(before.map((entry) => [entry.id, entry]))
  const later = new Set(after.map((entry) => entry.id))
  const entry = (
    { id, name }: { id: string; name: string },
    change: Entry['change'],
    fields: readonly string[] = [],
  ): Entry => ({ kind, id, name, change, fields })
  return [
    ...after.flatMap((one) => {
      const was = earlier.get(one.id)
      if (!was) return [entry(one, 'added')]
      const fields = fieldsOf(was, one)
      return fields.length > 0 ? [entry(one, 'changed', fields)] : []
    }),
    ...before.filter((one) => !later.has(one.id)).map((one) => entry(one, 'removed')),
  ]
}

function orderEntry(before: Policy, after: Policy): Entry[] {
  const shared = (from: Policy, other: Policy) =>
    from.rules.map((rule) => rule.id).filter((id) => other.rules.some((rule) => rule.id === id))
  return shared(before, after).join('\n') === shared(after, before).join('\n')
    ? []
    : [{ kind: 'order', id: '', name: '', change: 'changed', fields: [] }]
}

function fieldsOf(before: object, after: object): string[] {
  const earlier = before as Record<string, unknown>
  return Object.entries(after)
    .filter(([key, value]) => !equal(value, earlier[key]))
    .map(([key]) => key)
}
