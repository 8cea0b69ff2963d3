import { ENTRY_KINDS, KINDS, type EntryKind } from '../policy/kinds.ts'
import type { Policy, Who } from '../policy/types.ts'
import type { Entry } from './entries.ts'

/** An entry in which two policies differ, by kind and id. */
export type EntryRef = Pick<Entry, 'kind' | 'id'>

/** A policy without some of its changes, and the entries whose changes it is without. */
export interface Choice {
  readonly policy: Policy
  readonly left: readonly EntryRef[]
}

const keyOf = ({ kind, id }: EntryRef) => `${kind} ${id}`

/**
 * Returns the policy `after` in which some entries are as in `before`: an added one is gone, a removed one is
 * back in its place, a changed one is as it was. What depends on these goes with them: a rule that names an
 * added group cannot be without it, a group that is as it was has its devices, an address and a device belong
 * to one entry. Overrides are those of `after`.
 */
export function withoutChanges(before: Policy, after: Policy, some: readonly EntryRef[]): Choice {
  const left = new Map(some.map((ref) => [keyOf(ref), ref]))
  for (;;) {
    const policy = merged(before, after, left)
    const along = dependents(before, policy).filter((ref) => !left.has(keyOf(ref)))
    if (along.length === 0) return { policy, left: [...left.values()] }
    for (const ref of along) left.set(keyOf(ref), ref)
  }
}

function merged(before: Policy, after: Policy, left: ReadonlyMap<string, EntryRef>): Policy {
  const isLeft = (kind: Entry['kind'], id: string) => left.has(keyOf({ kind, id }))
  const lists = KINDS.map((kind) => {
    const { key } = ENTRY_KINDS[kind]
    const [was, is] = [before[key], after[key]] as readonly (readonly { readonly id: string }[])[]
    const earlier = new Map(was!.map((entry) => [entry.id, entry]))
    const later = new Set(is!.map(({ id }) => id))
    const kept = is!.flatMap((entry) => (isLeft(kind, entry.id) ? (earlier.get(entry.id) ?? []) : [entry]))
    const back = was!.filter(({ id }) => !later.has(id) && isLeft(kind, id))
    const wholeOrder = kind === 'rule' && isLeft('order', '')
    return [
      key,
      wholeOrder ? inserted(inOrder([...kept, ...back], was!), kept, is!) : inserted(kept, back, was!),
    ]
  })
  return {
    ...after,
    place: isLeft('place', '') ? before.place : after.place,
    ...Object.fromEntries(lists),
  }
}

interface HasId {
  readonly id: string
}

/** The entries that a list has, in its order. */
const inOrder = <T extends HasId>(entries: readonly T[], list: readonly HasId[]): T[] =>
  list.flatMap(({ id }) => entries.find((entry) => entry.id === id) ?? [])

/** Entries with more, each behind the one that precedes it in a list of its own. */
function inserted<T extends HasId>(entries: readonly T[], more: readonly T[], list: readonly HasId[]): T[] {
  const all = [...entries]
  for (const entry of more) {
    if (all.some(({ id }) => id === entry.id)) continue
    const place = list.findIndex(({ id }) => id === entry.id)
    const ahead = new Set(list.slice(0, place).map(({ id }) => id))
    all.splice(all.findLastIndex(({ id }) => ahead.has(id)) + 1, 0, entry)
  }
  return all
}

/** The entries that cannot be as they are in a policy, since another is not as they need it. */
function dependents(before: Policy, policy: Policy): EntryRef[] {
  const there = (some: Policy) =>
    new Set(KINDS.flatMap((kind) => some[ENTRY_KINDS[kind].key].map(({ id }) => keyOf({ kind, id }))))
  const [now, then] = [there(policy), there(before)]
  const missing = namesIn(policy).flatMap(({ by, names }) =>
    names
      .filter((ref) => !now.has(keyOf(ref)))
      // What is gone comes back; what is not there yet takes along what names it.
      .map((ref) => (then.has(keyOf(ref)) ? ref : by)),
  )
  const macs = policy.devices.flatMap(({ id, adapters }) =>
    adapters.map(({ mac }): [string, EntryRef] => [mac, { kind: 'device', id }]),
  )
  const owners = policy.groups
    .filter(({ person }) => person)
    .flatMap(({ id, members }) =>
      members.map((member): [string, EntryRef] => [member, { kind: 'group', id }]),
    )
  return [...missing, ...repeated(macs), ...repeated(owners)]
}

/** The entries that claim something which another claims too. */
function repeated(claims: readonly [what: string, by: EntryRef][]): EntryRef[] {
  const holders = new Map<string, EntryRef[]>()
  for (const [what, by] of claims) holders.set(what, [...(holders.get(what) ?? []), by])
  return [...holders.values()].filter((all) => all.length > 1).flat()
}

/** Every entry that names others, with those. */
function namesIn({
  groups,
  rules,
}: Policy): { readonly by: EntryRef; readonly names: readonly EntryRef[] }[] {
  const refs = (kind: EntryKind, ids: readonly string[]) => ids.map((id): EntryRef => ({ kind, id }))
  const inWho = ({ devices, groups, networks }: Pick<Who, 'devices' | 'groups' | 'networks'>) => [
    ...refs('device', devices),
    ...refs('group', groups),
    ...refs('network', networks),
  ]
  return [
    ...groups.map(({ id, members }) => ({
      by: { kind: 'group' as const, id },
      names: refs('device', members),
    })),
    ...rules.map(({ id, who, what, when }) => ({
      by: { kind: 'rule' as const, id },
      names: [
        ...inWho(who),
        ...inWho(who.except),
        ...refs('siteList', what.siteLists),
        ...refs('app', what.apps),
        ...('schedules' in when ? refs('schedule', when.schedules) : []),
      ],
    })),
  ]
}
