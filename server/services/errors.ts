import type { Fault } from '../../core/policy/shape.ts'

/** Every error that a route answers: its code, HTTP status (RFC 9110) and words. docs/errors.md is this table. */
export const ERRORS = {
  'malformed': { status: 400, words: 'Something in what was sent is not as it should be.' },
  'not-signed-in': { status: 401, words: 'Sign in first.' },
  'wrong-password': { status: 401, words: 'The name or the password is wrong.' },
  'wrong-code': { status: 403, words: 'The set-up code is wrong. It stands on the console where Kairostat was started.' },
  'wrong-current-password': { status: 403, words: 'The current password is wrong.' },
  'foreign-origin': { status: 403, words: 'A change must come from a page of this application.' },
  'not-found': { status: 404, words: 'There is no such thing here.' },
  'already-set-up': { status: 409, words: 'This place has its administrator already. Sign in.' },
  'not-set-up': { status: 409, words: 'This place has no name and time zone yet. Set it up first.' },
  'too-slow': { status: 408, words: 'The request took too long to arrive. Send it again.' },
  'too-large': { status: 413, words: 'The request is too large.' },
  'unknown-host': { status: 421, words: 'Kairostat does not answer under this name. Use the address on which it listens, or list the name in KAIROSTAT_HOSTS.' },
  'changed-meanwhile': { status: 412, words: 'This was changed meanwhile, perhaps in another window. Nothing was overwritten: close it and open it again to see how it is now.' },
  'address-taken': { status: 409, words: 'Another device has this address.' },
  'in-use': { status: 409, words: 'This is in use.' },
  'no-such-step': { status: 409, words: 'There is no earlier or later draft to go to.' },
  'nothing-to-put-live': { status: 409, words: 'The draft says what is live already.' },
  'unknown-part': { status: 422, words: 'This names something that is not in the draft.' },
  'not-possible': { status: 422, words: 'This cannot be done.' },
  'refused-by-gateway': { status: 422, words: 'The gateway refuses this policy. What was in force stays in force.' },
  'too-many-tries': { status: 429, words: 'Too many tries from here. Wait a quarter of an hour, then try again; from elsewhere the right password still works.' },
  'internal': { status: 500, words: 'Something went wrong here. The log says what.' },
  'gateway-away': { status: 503, words: 'The gateway does not answer.' },
} as const

export type ErrorCode = keyof typeof ERRORS

/** An error that a user is told, by its code; `detail` goes after the table's words, `faults` name places. */
export class Refused extends Error {
  constructor(readonly code: ErrorCode, readonly detail = '', readonly faults: readonly Fault[] = []) {
    super(`${ERRORS[code].words}${detail && ` ${detail}`}`)
  }
}
