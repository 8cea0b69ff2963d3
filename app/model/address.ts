import { FIRST, pagesOf } from '../../protocol/places.ts'

/** The place whose pages these are, by the address of the page; a worker is told it by its name. */
export const PLACE =
  /^\/places\/([a-z0-9-]+)(?=\/|$)/.exec(globalThis.location?.pathname ?? '')?.[1] ??
  (('document' in globalThis ? '' : (globalThis as { name?: string }).name) || FIRST)

/** With what the addresses of its pages begin. */
export const PAGES_OF = pagesOf(PLACE)

/** The address of a route as it is for this place; one that names a place already stays. */
export function apiPath(path: string): string {
  if (PLACE === FIRST || /^\/api\/places\/[^/?]+\//.test(path)) return path
  return path.replace(/^\/api\//, `/api/places/${PLACE}/`)
}
