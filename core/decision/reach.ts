import { gather } from './candidate.ts'
import type { Standing } from './standing.ts'
import type { Effect, Policy, SiteList, What } from '../policy/types.ts'

/** The items that a clause covers, as texts; `EVERYTHING` alone = the internet as a whole. */
type Items = readonly string[]
const EVERYTHING = '*'

/**
 * Says what the clauses of a standing let somebody reach, as a text: standings with equal texts reach the
 * same.
 */
export type ReachTeller = (standing: Pick<Standing, 'clauses'>) => string

const tellers = new WeakMap<Policy, ReachTeller>()

/**
 * Returns the function that tells the reach of standings under a policy. Clauses of one effect that follow
 * each other count as one, and what changes nothing is left out: an exception that no block follows, a block
 * before a block of all.
 */
export function reachTeller(policy: Policy): ReachTeller {
  const known = tellers.get(policy) ?? tellerOf(policy)
  tellers.set(policy, known)
  return known
}

function tellerOf(policy: Policy): ReachTeller {
  const items = clauseItems(policy)
  const texts = new Map<string, string>()
  return ({ clauses }) => {
    const key = clauses.join('\n')
    const text = texts.get(key) ?? textOf(clauses.map(items))
    texts.set(key, text)
    return text
  }
}

/** Answers effect and items of a rule or override of a policy, by its id. */
export function clauseItems(
  policy: Policy,
): (id: string) => { readonly effect: Effect; readonly items: Items } {
  const known = new Map<string, { readonly effect: Effect; readonly items: Items }>()
  return (id) => {
    const found = known.get(id) ?? itemsOf(policy, id)
    known.set(id, found)
    return found
  }
}

function itemsOf(policy: Policy, id: string) {
  const { effect, what } =
    policy.rules.find((one) => one.id === id) ?? policy.overrides.find((one) => one.id === id)!
  return {
    effect,
    items: what === null || what.internet ? [EVERYTHING] : coveredItems(policy, what),
  }
}

function coveredItems(policy: Policy, what: What): Items {
  const { sites, keywords, services } = gather(policy, { ...what, siteLists: [] })
  const lists = policy.siteLists.filter(({ id }) => what.siteLists.includes(id))
  return [
    ...sites.map((one) => `site ${one}`),
    ...keywords.map((one) => `word ${one}`),
    ...services.map((one) => `service ${one}`),
    ...lists.map((one) => `list ${contentOf(one)}`),
  ]
}

const contents = new WeakMap<SiteList, string>()
/** Returns the content of a list as a text, or where it is kept. */
function contentOf(list: SiteList): string {
  const { id: _id, name: _name, note: _note, ...content } = list
  const known = contents.get(list) ?? JSON.stringify(content)
  contents.set(list, known)
  return known
}

function textOf(clauses: readonly { readonly effect: Effect; readonly items: Items }[]): string {
  const runs: { effect: Effect; items: Set<string> }[] = []
  for (const { effect, items } of clauses) {
    if (items.length === 0) continue
    const last = runs.at(-1)
    if (last?.effect === effect) for (const item of items) last.items.add(item)
    else runs.push({ effect, items: new Set(items) })
  }
  // An exception at the end changes nothing: the rest passes anyway.
  if (runs.at(-1)?.effect === 'allow') runs.pop()
  return runs
    .map(({ effect, items }) => {
      const all = items.has(EVERYTHING) ? [EVERYTHING] : [...items].sort()
      return `${effect} ${all.join(', ')}`
    })
    .join('\n')
}
