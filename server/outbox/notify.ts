import type { Policy } from '../../core/policy/types.ts'
import { devicesWithin } from '../../protocol/helper-limit.ts'
import { NOTICE_NEEDS, type NoticeKind } from '../../protocol/notice.ts'
import { may } from '../../protocol/roles.ts'
import type { Sql } from '../database/database.ts'
import { isTrial } from '../database/place-sql.ts'
import { addDelivery, addNotice, hooksWanting, recipientsOf, type Recipient } from './outbox-sql.ts'

/**
 * The people whom a notice concerns: all (`null`), one account, or those who may grant more time to a device
 * of the policy that is live. An unknown device (`null`) concerns everybody but helpers with a limit.
 */
export type Concerns =
  { readonly account: string } | { readonly device: string | null; readonly policy: Policy } | null

/** The kinds that tell of a network: nobody hears of one that is made up and only tried. */
const OF_THE_NETWORK: ReadonlySet<NoticeKind> = new Set([
  'request',
  'new-device',
  'allowance',
  'alarm',
  'gateway-away',
  'gateway-back',
])

/** Writes a notice for everybody who wants to hear of it, by mail and webhook; it is sent afterwards. */
export async function notify(
  sql: Sql,
  kind: NoticeKind,
  words: string,
  concerns: Concerns = null,
): Promise<void> {
  if (OF_THE_NETWORK.has(kind) && (await isTrial(sql))) return
  const all = await recipientsOf(sql, kind)
  const recipients = all.filter((one) => may(one.role, NOTICE_NEEDS[kind]) && isConcerned(one, concerns))
  const webhooks = await hooksWanting(sql, kind)
  if (recipients.length === 0 && webhooks.length === 0) return
  const notice = await addNotice(sql, kind, words)
  for (const { account } of recipients) await addDelivery(sql, notice, { account })
  for (const webhook of webhooks) await addDelivery(sql, notice, { webhook })
}

function isConcerned({ account, limit }: Recipient, concerns: Concerns): boolean {
  if (concerns === null) return true
  if ('account' in concerns) return concerns.account === account
  if (limit === null) return true
  return concerns.device !== null && devicesWithin(limit, concerns.policy).has(concerns.device)
}
