import type { Policy, Spent } from '../../core/policy/types.ts'
import { DAY } from '../../core/time/duration.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import type { Gateway } from '../../protocol/gateway/gateway.ts'
import { tell, type Sql } from '../database/database.ts'
import { saveSpent } from './spent-sql.ts'
import { livePolicy } from './live.ts'
import { notify } from '../outbox/notify.ts'

/** The past for which the gateway is asked for used-up allowances: it may have been away. */
const PAST_SECONDS = 8 * DAY

/**
 * Keeps when allowances were used up: each call asks the gateway, and tells of what is new.
 *
 * @throws Error where the gateway is away
 */
export function allowanceFollower(sql: Sql, gateway: Pick<Gateway, 'allowances'>): () => Promise<void> {
  // Mostly it is told what was used, and nothing else is new.
  let heard = ''
  return async () => {
    const since = instantText(Math.floor(Date.now() / 1000) - PAST_SECONDS)
    const { spent, at } = await gateway.allowances(since)
    const text = JSON.stringify(spent)
    if (text === heard) return
    const { fresh, changed } = await saveSpent(sql, spent, at)
    heard = text
    if (!changed) return
    await tell(sql, 'live')
    const now = readInstant(at)!
    const { policy } = await livePolicy(sql)
    for (const one of fresh)
      if (readInstant(one.until)! > now)
        await notify(sql, 'allowance', spentWords(policy, one), concernsOf(policy, one))
  }
}

const concernsOf = (policy: Policy, { device, mac }: Spent) =>
  device === null && mac === null ? null : { device, policy }

function spentWords({ rules, devices }: Policy, { rule, device, mac }: Spent): string {
  const name = rules.find(({ id }) => id === rule)?.name ?? rule
  if (device === null && mac === null) return `The shared allowance of “${name}” is used up`
  const whose = devices.find(({ id }) => id === device)?.name ?? mac ?? device
  return `${whose} has used up the allowance of “${name}”`
}
