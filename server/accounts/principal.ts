import type { Rights, TokenRole } from '../../protocol/roles.ts'

/** Who sends a request: an account, with what it may do. */
export interface Principal extends Rights {
  readonly account: string
  /** What the token is for that was sent; `null` = it is a session. */
  readonly token: TokenRole | null
}
