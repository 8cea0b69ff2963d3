import equal from 'fast-deep-equal'

/**
 * The new list with what equals the earlier entry in its place replaced by that, and the earlier list itself
 * where all of it does: what stays the same is not drawn anew.
 */
export function keepEqual<T>(before: readonly T[] | undefined, after: readonly T[]): readonly T[] {
  if (!before) return after
  const kept = after.map((entry, index) => (equal(entry, before[index]) ? before[index]! : entry))
  return kept.length === before.length && kept.every((entry, index) => entry === before[index])
    ? before
    : kept
}
