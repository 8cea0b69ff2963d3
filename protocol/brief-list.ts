import type { SiteList } from '../core/policy/types.ts'

/** From how many sites on pages are sent a list without them, and revisions store it once. */
export const LONG_LIST = 500

/** The place of the sites of a long list: `GET /api/sites/{digest}` answers with them, as JSON. */
export interface Elsewhere {
  /** SHA-256 of the sites as JSON, in hexadecimal digits. */
  readonly digest: string
  readonly count: number
}

/** A site list as pages have it: of a long one `entries` is empty, and `long` says where its sites are. */
export interface BriefList extends SiteList {
  readonly long?: Elsewhere
}

/** The place of the sites of a list; `null` = in the list. */
export function elsewhere(list: SiteList): Elsewhere | null {
  return (list as BriefList).long ?? null
}

/** Returns the number of sites of a list. */
export function siteCount(list: SiteList): number {
  return elsewhere(list)?.count ?? list.entries.length
}
