import { AsyncLocalStorage } from 'node:async_hooks'

/** The account that does something, and its address. */
export interface Actor {
  /** `null` = nobody is signed in. */
  readonly account: string | null
  readonly address: string
}

/** The actor of everything that happens without a request: at the console, or by the application itself. */
const CONSOLE: Actor = { account: 'console', address: '' }

const current = new AsyncLocalStorage<Actor>()

/** Does some work as somebody: whatever it writes into the audit log says so. */
export function actAs<T>(actor: Actor, work: () => T): T {
  return current.run(actor, work)
}

/** Returns the actor of the work that is under way. */
export function actor(): Actor {
  return current.getStore() ?? CONSOLE
}
