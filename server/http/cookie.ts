import { DAY } from '../../core/time/duration.ts'
import { setCookie, type H3Event } from 'h3'
import type { Client } from './client.ts'
import { SESSION_COOKIE } from './open-routes.ts'
import { SESSION_DAYS } from '../accounts/sign-in.ts'

/**
 * Gives the browser its session; `Secure` where it came over TLS, since many places have none on their local
 * network.
 */
export function keepSession(event: H3Event, { isSecure }: Client, token: string): void {
  setCookie(event, SESSION_COOKIE, token, {
    httpOnly: true,
    sameSite: 'strict',
    path: '/',
    secure: isSecure,
    maxAge: SESSION_DAYS * DAY,
  })
}
