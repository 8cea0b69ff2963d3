import type { MailServer, NoticeKind, WebhookAnswer } from '../../protocol/notice.ts'
import { HERE, instant, type Sql } from '../database/database.ts'

/** A notice; `place` = the name of the network. */
export interface Notice {
  readonly number: number
  readonly kind: NoticeKind
  readonly words: string
  readonly at: string
}

/** Whether anything waits to be sent and is due. */
export async function isAnythingDue(sql: Sql): Promise<boolean> {
  return (await sql.query('select 1 from delivery where due_at <= now() limit 1')).length > 0
}

/**
 * Returns the people to whom a mail is due: those with notices of which the first has waited `gatherSeconds`,
 * none of which is to be tried again later only, and who got no mail within `pauseSeconds`.
 */
export function mailsDue(
  sql: Sql,
  gatherSeconds: number,
  pauseSeconds: number,
): Promise<{ account: string; mail: string }[]> {
  return sql.query(
    `select name as account, mail from account join member on member.account = name and place = ${HERE}
    where mail <> '' and disabled_at is null
      and (mailed_at is null or mailed_at <= now() - make_interval(secs => $2))
      and exists (select 1 from delivery where delivery.account = name)
      and not exists (select 1 from delivery where delivery.account = name and due_at > now())
      and (select min(made_at) from delivery where delivery.account = name) <= now() - make_interval(secs => $1)`,
    [gatherSeconds, pauseSeconds],
  )
}

/** The notices that wait for somebody, the first first. */
export function noticesFor(sql: Sql, account: string): Promise<Notice[]> {
  return sql.query<Notice>(
    `select notice.number, kind, words, ${instant('at')} as at from delivery
    join notice on notice.number = delivery.notice where delivery.account = $1 order by notice.number`,
    [account],
  )
}

/** Notes that somebody was mailed some notices. */
export async function markMailed(sql: Sql, account: string, notices: readonly number[]): Promise<void> {
  await sql.query(`update member set mailed_at = now() where account = $1 and place = ${HERE}`, [account])
  await sql.query('delete from delivery where account = $1 and notice = any($2::int[])', [account, notices])
}

/** Tries what waits for somebody again after so many seconds. */
export async function postponeMail(sql: Sql, account: string, seconds: number): Promise<void> {
  await sql.query(
    `update delivery set tries = tries + 1, due_at = now() + make_interval(secs => $2) where account = $1`,
    [account, seconds],
  )
}

/** Returns the number of failed tries to mail somebody. */
export async function mailTries(sql: Sql, account: string): Promise<number> {
  const [row] = await sql.query<{ tries: number }>(
    'select coalesce(max(tries), 0)::int as tries from delivery where account = $1',
    [account],
  )
  return row!.tries
}

/** A notice on its way to a webhook. */
export interface HookDelivery extends Notice {
  readonly delivery: number
  readonly webhook: string
  readonly url: string
  readonly secret: string
  readonly tries: number
}

/** Returns the first due delivery of each webhook. */
export function hooksDue(sql: Sql): Promise<HookDelivery[]> {
  return sql.query<HookDelivery>(
    `select distinct on (webhook.id) delivery.number as delivery, webhook.id as webhook, url, secret, tries,
      notice.number, notice.kind, words, ${instant('notice.at')} as at
    from delivery join webhook on webhook.id = delivery.webhook join notice on notice.number = delivery.notice
    where due_at <= now() and not exists (
      select 1 from delivery as earlier where earlier.webhook = webhook.id and earlier.number < delivery.number)
    order by webhook.id, delivery.number`,
  )
}

/** Forgets a delivery: it arrived, or is given up. */
export async function removeDelivery(sql: Sql, delivery: number): Promise<void> {
  await sql.query('delete from delivery where number = $1', [delivery])
}

/** Tries a delivery again after so many seconds. */
export async function postponeHook(sql: Sql, delivery: number, seconds: number): Promise<void> {
  await sql.query(
    'update delivery set tries = tries + 1, due_at = now() + make_interval(secs => $2) where number = $1',
    [delivery, seconds],
  )
}

/** Gives up what has waited for more than a day, and forgets notices after a month. */
export async function forgetNotices(sql: Sql): Promise<void> {
  await sql.query(`delete from delivery where made_at < now() - interval '1 day'`)
  await sql.query(`delete from notice where at < now() - interval '30 days'`)
}

/** Returns the address for somebody's notices, and their kinds. */
export async function wishesOf(sql: Sql, account: string): Promise<{ mail: string; kinds: NoticeKind[] }> {
  const [row] = await sql.query<{ mail: string }>('select mail from account where name = $1', [account])
  const kinds = await sql.query<{ kind: NoticeKind }>('select kind from notice_wish where account = $1', [
    account,
  ])
  return { mail: row!.mail, kinds: kinds.map(({ kind }) => kind) }
}

/** Says where somebody's notices go, and which. */
export async function saveWishes(
  sql: Sql,
  account: string,
  mail: string,
  kinds: readonly NoticeKind[],
): Promise<void> {
  await sql.query('update account set mail = $2 where name = $1', [account, mail])
  await sql.query('delete from notice_wish where account = $1', [account])
  await sql.query('insert into notice_wish (account, kind) select $1, * from unnest($2::text[])', [
    account,
    kinds,
  ])
  await sql.query(
    'delete from delivery where account = $1 and notice not in (select number from notice where kind = any($2::text[]))',
    [account, kinds],
  )
}

/** The mail server with its password; `null` = there is none. */
export async function mailServer(
  sql: Sql,
): Promise<(MailServer & { password: string; trouble: string }) | null> {
  const [row] = await sql.query<MailServer & { password: string; trouble: string }>(
    'select host, port, security, username as "user", password, sender as "from", trouble from mail_server',
  )
  return row ?? null
}

/** Takes another mail server, or none. */
export async function saveMailServer(
  sql: Sql,
  server: (MailServer & { readonly password: string }) | null,
): Promise<void> {
  await sql.query('delete from mail_server')
  if (!server) return
  await sql.query(
    'insert into mail_server (host, port, security, username, password, sender) values ($1, $2, $3, $4, $5, $6)',
    [server.host, server.port, server.security, server.user, server.password, server.from],
  )
}

/** Notes why the last mail could not be sent; '' = it could. */
export async function noteMailTrouble(sql: Sql, trouble: string): Promise<void> {
  await sql.query('update mail_server set trouble = $1 where trouble <> $1', [trouble])
}

/** Every webhook, the first made first. */
export function webhooks(sql: Sql): Promise<WebhookAnswer[]> {
  return sql.query<WebhookAnswer>(
    `select id, url, kinds, author, trouble,
      (select count(*)::int from delivery where webhook = webhook.id) as waiting from webhook order by made_at, id`,
  )
}

/** Adds a webhook. */
export async function addWebhook(
  sql: Sql,
  {
    id,
    url,
    kinds,
    author,
    secret,
  }: Pick<WebhookAnswer, 'id' | 'url' | 'kinds' | 'author'> & { secret: string },
): Promise<void> {
  await sql.query('insert into webhook (id, url, kinds, author, secret) values ($1, $2, $3, $4, $5)', [
    id,
    url,
    JSON.stringify(kinds),
    author,
    secret,
  ])
}

/** A webhook's address and secret; `null` where there is none. */
export async function webhookOf(sql: Sql, id: string): Promise<{ url: string; secret: string } | null> {
  const [row] = await sql.query<{ url: string; secret: string }>(
    'select url, secret from webhook where id = $1',
    [id],
  )
  return row ?? null
}

/** Notes why the last notice could not be sent to a webhook; '' = it could. */
export async function noteHookTrouble(sql: Sql, id: string, trouble: string): Promise<void> {
  await sql.query('update webhook set trouble = $2 where id = $1 and trouble <> $2', [id, trouble])
}

/**
 * Deletes a webhook with what waits for it.
 *
 * @returns whether there was one
 */
export async function removeWebhook(sql: Sql, id: string): Promise<boolean> {
  return (await sql.query('delete from webhook where id = $1 returning id', [id])).length > 0
}
