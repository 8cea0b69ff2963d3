import type { Rights } from './roles.ts'

/** An account; instants in UTC. */
export interface Person extends Rights {
  readonly name: string
  readonly isDisabled: boolean
  readonly hasSecondFactor: boolean
  readonly madeAt: string
  /**
   * The time at which a session of it was used last, to the minute; `null` = never, or its sessions are
   * over.
   */
  readonly seenAt: string | null
}

/** An invitation that nobody has used yet. */
export interface Invitation extends Rights {
  readonly id: string
  readonly author: string
  readonly until: string
}

/** `GET /api/people`: every account by name, and the invitations that wait. */
export interface PeopleAnswer {
  readonly people: readonly Person[]
  readonly invitations: readonly Invitation[]
}

/** `POST /api/invitations`: a new invitation, whose code is told this once. */
export interface MadeInvitation {
  readonly id: string
  readonly code: string
}

/** `POST /api/join/look`: what an invitation is for. */
export interface JoinAnswer extends Rights {
  readonly place: string
}

/** `GET /api/sessions`: a session of one's own. */
export interface OwnSession {
  readonly id: string
  readonly address: string
  /** The name that the browser gave itself. */
  readonly browser: string
  readonly begunAt: string
  readonly seenAt: string
  /** Whether it is the one that asks. */
  readonly isThis: boolean
}

/**
 * Names under which Kairostat itself is said to have done something: no account can have them, in whatever
 * case.
 */
export const MACHINE_NAMES = ['list refreshed', 'kairostat'] as const
