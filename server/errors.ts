import type { Fault } from '../core/policy/shape.ts'

/**
 * Every error that a route answers: its code, HTTP status (RFC 9110) and words. docs/errors.md is this table.
 */
export const ERRORS = {
  'malformed': { status: 400, words: 'Some values are not valid.' },
  'not-signed-in': { status: 401, words: 'Sign in first.' },
  'wrong-password': { status: 401, words: 'The name or the password is wrong.' },
  'code-needed': { status: 401, words: 'Enter the code that your authenticator app shows.' },
  'wrong-second-code': {
    status: 401,
    words:
      'The code is wrong or was used already. Enter the one that your app shows now, or a recovery code.',
  },
  'wrong-code': {
    status: 403,
    words: 'The set-up code is wrong. It is shown on the console where Kairostat was started.',
  },
  'wrong-current-password': { status: 403, words: 'The current password is wrong.' },
  'foreign-origin': { status: 403, words: 'A change must come from a page of this application.' },
  'wrong-invitation': {
    status: 403,
    words: 'This invitation was used or withdrawn, or is over. Ask for another one.',
  },
  'not-allowed': { status: 403, words: 'Your account may not do this.' },
  'not-your-place': { status: 403, words: 'Your account may not use this place.' },
  'beyond-limit': { status: 403, words: 'This is more than your account may do.' },
  'not-found': { status: 404, words: 'This was not found. It may have been deleted.' },
  'already-set-up': { status: 409, words: 'Kairostat is already set up. Sign in.' },
  'not-set-up': { status: 409, words: 'Kairostat is not set up yet. Set it up first.' },
  'too-slow': { status: 408, words: 'The request took too long to arrive. Send it again.' },
  'too-large': { status: 413, words: 'The request is too large.' },
  'unknown-host': {
    status: 421,
    words:
      'Kairostat does not answer under this name. Use the address on which it listens, or list the name in KAIROSTAT_HOSTS.',
  },
  'changed-meanwhile': {
    status: 412,
    words:
      'This was changed meanwhile, perhaps in another window. Nothing was overwritten. Cancel and open it again to see the new version.',
  },
  'answered-meanwhile': { status: 409, words: 'Somebody else answered this request meanwhile.' },
  'last-administrator': {
    status: 409,
    words: 'Nobody would be left who can manage Kairostat. Make somebody else an administrator first.',
  },
  'too-many-requests': {
    status: 429,
    words: 'Many of your requests are being answered. Try again in a moment.',
  },
  'name-taken': { status: 409, words: 'Somebody else has this name. Choose another one.' },
  'address-taken': { status: 409, words: 'Another device has this address.' },
  'has-owner': {
    status: 409,
    words: 'A device belongs to one person at most. Take it from the other one first.',
  },
  'in-use': { status: 409, words: 'It is still used.' },
  'no-such-step': { status: 409, words: 'There is nothing to undo or redo.' },
  'others-edit': { status: 409, words: 'Somebody else made this edit.' },
  'nothing-to-put-live': { status: 409, words: 'There are no changes to apply.' },
  'unknown-part': { status: 422, words: 'This names something that is not in the draft.' },
  'not-possible': { status: 422, words: 'This cannot be done.' },
  'refused-by-gateway': {
    status: 422,
    words: 'The gateway refuses this policy. The earlier rules still apply.',
  },
  'taken-over': {
    status: 503,
    words: 'What runs for this place is being taken over by another process. Try again in a few seconds.',
  },
  'too-many-tries': {
    status: 429,
    words:
      'Too many attempts from here. Wait 15 minutes, then try again. From another address, the right password still works.',
  },
  'internal': { status: 500, words: 'Something went wrong on the server. Details are in its log.' },
  'not-sent': { status: 502, words: 'It could not be sent.' },
  'gateway-away': { status: 503, words: 'The gateway does not answer.' },
} as const

export type ErrorCode = keyof typeof ERRORS

/** An error that a user is told, by its code; `detail` goes after the table's words, `faults` name places. */
export class ApiError extends Error {
  constructor(
    readonly code: ErrorCode,
    readonly detail = '',
    readonly faults: readonly Fault[] = [],
  ) {
    super(`${ERRORS[code].words}${detail && ` ${detail}`}`)
  }
}
