import { HOUR } from '../../core/time/duration.ts'
import type { Gateway, Lookup } from '../../protocol/gateway/gateway.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import type { Sql } from '../database/database.ts'
import { forgetLookups, saveLookups } from './lookup-sql.ts'

export { forgetLookups, learnedNames, refusedNames, searchLookups, seenNames } from './lookup-sql.ts'

/**
 * Keeps what the gateway's devices look up: each call asks for what came since the one before, and tells of
 * it.
 *
 * @throws Error where the gateway is away
 */
export function lookupKeeper(
  sql: Sql,
  gateway: Gateway,
  tell: (runs: readonly Lookup[]) => void = () => {},
): () => Promise<void> {
  // By the gateway's clock: the instant of the last asking. A clock that was set back is asked for its last
  // hour.
  let heard: number | null = null
  return async () => {
    const status = await gateway.status()
    const clock = readInstant(status.clock)!
    const since: number | null = heard !== null && heard > clock ? clock - HOUR : heard
    const runs = await gateway.lookups(since === null ? null : instantText(since))
    await saveLookups(sql, runs)
    // The first runs may have been told before.
    if (since !== null) tell(runs)
    await forgetLookups(sql, status.settings.lookups)
    heard = clock
  }
}
