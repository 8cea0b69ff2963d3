import type { H3Event } from 'h3'
import { may, type Need, type Role } from '../../protocol/roles.ts'
import { ROUTES } from './api-routes.ts'
import { ApiError } from './errors.ts'

/** Who sends a request: an account, in its role. */
export interface Principal {
  readonly account: string
  readonly role: Role
}

/** What a route needs of who asks, by its name ("METHOD path"); `null` = it answers whoever asks. */
export function needOf(name: string): Need | null {
  const { open, needs } = ROUTES[name]!
  if (open) return null
  return needs ?? (name.startsWith('GET ') ? 'see' : 'edit')
}

/**
 * Refuses who may not do what the route does that the router found for a request. One that is not described is
 * refused to all.
 *
 * @throws ApiError `not-allowed`, `not-found`
 */
export function refuseUnlessMay(event: H3Event, principal: Principal | null): void {
  const path = event.context.matchedRoute!.path.replaceAll(/:(\w+)/g, '{$1}')
  const name = `${event.method === 'HEAD' ? 'GET' : event.method} ${path}`
  if (!(name in ROUTES)) throw new ApiError('not-found', `No route answers ${event.method} ${event.path}.`)
  const need = needOf(name)
  if (need !== null && !may(principal!.role, need)) throw new ApiError('not-allowed', WHO[need])
}

/** Who may do what needs so much. */
const WHO: Readonly<Record<Need, string>> = {
  see: '',
  edit: 'Ask somebody who is an editor or administrator.',
  administer: 'Ask an administrator.',
}
