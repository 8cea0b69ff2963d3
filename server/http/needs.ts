import type { H3Event } from 'h3'
import { may, type Need } from '../../protocol/roles.ts'
import { FIRST } from '../../protocol/places.ts'
import { ROUTES } from './api-routes.ts'
import type { Principal } from '../accounts/principal.ts'
import { ApiError } from '../errors.ts'

/** Returns the right that a route needs, by its name ("METHOD path"); `null` = it answers everybody. */
export function needOf(name: string): Need | null {
  const { open, needs } = ROUTES[name]!
  if (open) return null
  return needs ?? (name.startsWith('GET ') ? 'see' : 'edit')
}

/** The name of the route that the router found for a request. */
export function routeOf(event: H3Event): string {
  const path = event.context.matchedRoute!.path.replaceAll(/:(\w+)/g, '{$1}')
  return `${event.method === 'HEAD' ? 'GET' : event.method} ${path}`
}

/**
 * Refuses who may not do what the route does that the router found for a request. One that is not described is
 * refused to all; one that concerns all of Kairostat is a route of the first place.
 *
 * @throws ApiError `not-allowed`, `not-found`
 */
export function refuseUnlessMay(event: H3Event, principal: Principal | null, place: string): void {
  const name = routeOf(event)
  if (!(name in ROUTES)) throw new ApiError('not-found', `No route answers ${event.method} ${event.path}.`)
  if (ROUTES[name]!.first && place !== FIRST)
    throw new ApiError('not-allowed', 'This concerns all places: ask for it at the first.')
  const need = needOf(name)
  if (need !== null) refuseToken(principal!, name)
  if (need !== null && !may(principal!.role, need)) throw new ApiError('not-allowed', WHO[need])
}

/** Refuses a token what only somebody who is signed in may do, and what it was not made for. */
function refuseToken({ token }: Principal, name: string): void {
  const { session, token: isForLive } = ROUTES[name]!
  if (token !== null && session) throw new ApiError('not-allowed', 'A token may not do this: sign in.')
  if (token === 'live' && !isForLive) throw new ApiError('not-allowed', 'This token reads what is live.')
}

/** The people to ask, by the right that is missing. */
const WHO: Readonly<Record<Need, string>> = {
  see: '',
  help: 'Ask somebody who is a helper, editor or administrator.',
  edit: 'Ask somebody who is an editor or administrator.',
  administer: 'Ask an administrator.',
}
