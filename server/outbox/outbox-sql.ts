import type { NoticeKind } from '../../protocol/notice.ts'
import type { Rights } from '../../protocol/roles.ts'
import { HERE, type Sql } from '../database/database.ts'

/** Adds a notice. */
export async function addNotice(sql: Sql, kind: NoticeKind, words: string): Promise<number> {
  const [row] = await sql.query<{ number: number }>(
    'insert into notice (kind, words) values ($1, $2) returning number',
    [kind, words],
  )
  return row!.number
}

/** Somebody who can be told by mail. */
export interface Recipient extends Rights {
  readonly account: string
  readonly mail: string
}

/** Returns the people who want notices of a kind by mail. */
export function recipientsOf(sql: Sql, kind: NoticeKind): Promise<Recipient[]> {
  return sql.query<Recipient>(
    `select name as account, mail, role, helper_limit as "limit" from account
    join member on member.account = name and member.place = ${HERE}
    join notice_wish on notice_wish.account = name
    where notice_wish.kind = $1 and mail <> '' and disabled_at is null`,
    [kind],
  )
}

/** Has a notice sent to somebody, or to a webhook. */
export async function addDelivery(
  sql: Sql,
  notice: number,
  to: { readonly account: string } | { readonly webhook: string },
): Promise<void> {
  const [account, webhook] = 'account' in to ? [to.account, null] : [null, to.webhook]
  await sql.query('insert into delivery (notice, account, webhook) values ($1, $2, $3)', [
    notice,
    account,
    webhook,
  ])
}

/** Returns the ids of the webhooks that want notices of a kind. */
export async function hooksWanting(sql: Sql, kind: NoticeKind): Promise<string[]> {
  const rows = await sql.query<{ id: string; kinds: readonly NoticeKind[] }>('select id, kinds from webhook')
  return rows.filter(({ kinds }) => kinds.includes(kind)).map(({ id }) => id)
}
