import { domainOf } from './coverage.ts'

/**
 * A name that a device looked up while it was watched; `usual` says that it did so before, too, `others`
 * which adapters of others do. Instants are texts in UTC.
 */
export interface WatchedName {
  readonly name: string
  readonly tries: number
  readonly first: string
  readonly last: string
  readonly usual: boolean
  readonly others: readonly string[]
}

/**
 * Names of one registrable domain, as a proposal for an app: the whole domain where more than one name of it
 * was asked for, else that name.
 */
export interface Proposal<N extends WatchedName = WatchedName> {
  readonly domain: string
  /** The sites that would be taken into the app. */
  readonly site: string
  readonly names: readonly N[]
  readonly tries: number
  readonly first: string
  readonly last: string
  /** Whether any of its names is one that the device looks up anyway. */
  readonly usual: boolean
  /** The adapters of others that look up any of its names. */
  readonly others: readonly string[]
}

/**
 * Groups what was looked up by registrable domain: first what is not usual for the device, and of that first
 * what nobody else uses, then what was asked for most.
 */
export function proposalsOf<N extends WatchedName>(names: readonly N[]): Proposal<N>[] {
  const groups = new Map<string, N[]>()
  for (const seen of names) {
    const domain = domainOf(seen.name) ?? seen.name
    groups.set(domain, [...(groups.get(domain) ?? []), seen])
  }
  const proposals = [...groups].map(([domain, list]): Proposal<N> => ({
    domain,
    site: list.length > 1 ? domain : list[0]!.name,
    names: list,
    tries: list.reduce((sum, { tries }) => sum + tries, 0),
    first: list.map(({ first }) => first).sort()[0]!,
    last: list
      .map(({ last }) => last)
      .sort()
      .at(-1)!,
    usual: list.some(({ usual }) => usual),
    others: [...new Set(list.flatMap(({ others }) => others))].sort(),
  }))
  return proposals.sort(
    (a, b) =>
      Number(a.usual) - Number(b.usual) ||
      Number(a.others.length > 0) - Number(b.others.length > 0) ||
      b.tries - a.tries ||
      a.domain.localeCompare(b.domain),
  )
}
