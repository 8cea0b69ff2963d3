import type { IncomingMessage } from 'node:http'

/** An address of a place: the same as of the first, after its own beginning. */
const WITHIN = /^\/(?:api\/places\/([a-z0-9-]+)(?=\/)|places\/([a-z0-9-]+)(?=[/?]|$))/

/**
 * Whether the address of a request is in the one form that is understood: a path from the root, without steps
 * up or down, backslashes or an empty part at its beginning, whose percent signs are followed by hexadecimal
 * digits. Whoever looks at it afterwards sees the same.
 */
export function isPlainAddress({ url = '' }: IncomingMessage): boolean {
  const [path = ''] = url.split('?')
  if (!path.startsWith('/') || path.startsWith('//') || !PLAIN.test(path)) return false
  return !path.split('/').some((part) => /^(\.|%2e){1,2}$/i.test(part))
}
const PLAIN = /^(?:[!"$&-[\]-~]|%(?![01]|5c|7f)[0-9a-f]{2})*$/i

const places = new WeakMap<IncomingMessage, string>()

/** Takes the place out of the address of a request, so that its route is found; `placeNamed` says it. */
export function enterPlace(request: IncomingMessage): void {
  const url = request.url ?? '/'
  const [beginning, ofRoute, ofPage] = WITHIN.exec(url) ?? []
  if (beginning === undefined) return
  places.set(request, (ofRoute ?? ofPage)!)
  const rest = url.slice(beginning.length)
  request.url = `${ofRoute === undefined ? '' : '/api'}${rest.startsWith('/') ? '' : '/'}${rest}`
}

/** The place that a request names; `null` = none, which means the first. */
export function placeNamed(request: IncomingMessage): string | null {
  return places.get(request) ?? null
}
