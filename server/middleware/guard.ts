import {
  defineEventHandler,
  getCookie,
  getHeader,
  getQuery,
  getRequestURL,
  sendRedirect,
  setResponseHeader,
  type H3Event,
} from 'h3'
import { answerOf } from '../http/api-handler.ts'
import { pagesOriginOf } from '../http/client.ts'
import { context } from '../http/context.ts'
import { ApiError } from '../errors.ts'
import { endGently } from '../http/gentle-end.ts'
import { FIRST, pagesOf } from '../../protocol/places.ts'
import { placeNamed } from '../http/place-address.ts'
import { placesOf } from '../accounts/people.ts'
import { signedIn } from '../accounts/sign-in.ts'
import { bearerOf } from '../accounts/tokens.ts'
import { isOpen, SESSION_COOKIE } from '../http/open-routes.ts'

// Every request passes here first: whatever is not on the list of open routes refuses without a session,
// whether it exists or not.
export default defineEventHandler(async (event) => {
  // A body that was not read when its request is refused is not read afterwards either.
  event.node.res.once('finish', () => {
    if (!event.node.req.complete) endGently(event.node.req)
  })
  const { pathname } = getRequestURL(event)
  const changes = event.method !== 'GET' && event.method !== 'HEAD'
  const here = await context()
  const client = here.clients.of(event)
  if (!here.clients.isForUs(event, client)) return answerOf(event, new ApiError('unknown-host'), here)
  if (client.isSecure) setResponseHeader(event, 'strict-transport-security', 'max-age=31536000')
  if (pathname.startsWith('/api/')) setResponseHeader(event, 'cache-control', 'no-store')
  const named = placeNamed(event.node.req) ?? FIRST
  // A place that does not exist is answered like one that the account may not use.
  const place = (await here.places.of(named)) ?? (await here.places.of(FIRST))!
  const session = await signedIn(place.sql, getCookie(event, SESSION_COOKIE))
  const isThere = place.id === named
  const token = session || !isThere ? null : await bearerOf(place.sql, tokenOf(event))
  const principal = isThere ? (session?.principal ?? token) : null
  // A page of somebody else cannot send a token, as it could a cookie.
  const isByToken = token !== null
  if (changes && !isByToken && getHeader(event, 'origin') !== pagesOriginOf(client))
    return answerOf(event, new ApiError('foreign-origin'), here)
  Object.assign(event.context, { client, principal, place, account: session?.account ?? null })
  const open = isOpen(event.method, pathname)
  // Whether there is such a place is nobody's to learn who may not use it.
  if (principal || open) return
  if (pathname.startsWith('/api/') || pathname === '/metrics')
    return answerOf(event, new ApiError(session ? 'not-your-place' : 'not-signed-in'), here)
  const [own] = session ? await placesOf(place.sql, session.account) : []
  if (own) return sendRedirect(event, `${pagesOf(own.id)}/`, 302)
  return sendRedirect(event, `${pagesOf(named)}/sign-in?to=${encodeURIComponent(event.path)}`, 302)
})

/**
 * The token of a request, as in its header; of a list, which programs fetch that know only an address, also
 * in that.
 */
function tokenOf(event: H3Event): string | undefined {
  const header = getHeader(event, 'authorization')
  if (header !== undefined || !LIST_FILE.test(getRequestURL(event).pathname)) return header
  const { token } = getQuery(event)
  return typeof token === 'string' ? `Bearer ${token}` : undefined
}
const LIST_FILE = /^\/api\/site-lists\/[^/]+\/file$/
