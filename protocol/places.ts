import type { Role } from './roles.ts'

/** A place that somebody may use, in a role. */
export interface OwnPlace {
  readonly id: string
  readonly name: string
  readonly role: Role
}
