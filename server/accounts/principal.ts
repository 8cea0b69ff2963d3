import type { Rights, TokenRole } from '../../protocol/roles.ts'

/** The sender of a request: an account with its rights. */
export interface Principal extends Rights {
  readonly account: string
  /** The use of the token that was sent; `null` = a session was. */
  readonly token: TokenRole | null
}
