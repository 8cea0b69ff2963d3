import { errorText } from '../../core/words/error-text.ts'
import { randomBytes } from 'node:crypto'
import {
  NOTICE_NEEDS,
  type MadeWebhook,
  type MailServer,
  type MailServerAnswer,
  type NoticeKind,
  type OwnNotices,
  type WebhookAnswer,
} from '../../protocol/notice.ts'
import { may, type Role } from '../../protocol/roles.ts'
import type { Sql } from '../database/database.ts'
import {
  addWebhook,
  mailServer,
  removeWebhook,
  saveMailServer,
  saveWishes,
  webhookOf,
  webhooks,
  wishesOf,
} from './notice-sql.ts'
import { place } from '../database/place-sql.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'
import { sendMail } from './mail.ts'
import { newSecret } from '../accounts/secret.ts'
import { postHook } from './webhook.ts'

/** Returns the address for one's own notices, and their kinds. */
export async function ownNotices(sql: Sql, account: string): Promise<OwnNotices> {
  return { ...(await wishesOf(sql, account)), canMail: (await mailServer(sql)) !== null }
}

/**
 * Says where one's own notices go, and which.
 *
 * @throws ApiError `not-allowed` where the role may not hear of one
 */
export async function saveOwnNotices(
  sql: Sql,
  { account, role }: { account: string; role: Role },
  mail: string,
  kinds: readonly NoticeKind[],
): Promise<void> {
  const refused = kinds.find((kind) => !may(role, NOTICE_NEEDS[kind]))
  if (refused !== undefined) throw new ApiError('not-allowed', `Your role does not hear of ${refused}.`)
  await sql.transaction(async (tx) => {
    await saveWishes(tx, account, mail, kinds)
    const words = mail === '' ? 'Own notices off' : `Own notices to ${mail}: ${kinds.join(', ') || 'none'}`
    await record(tx, 'settings', words)
  })
}

/** The mail server, without its password. */
export async function mailServerAnswer(sql: Sql): Promise<MailServerAnswer> {
  const server = await mailServer(sql)
  if (!server) return { server: null, trouble: '' }
  const { password, trouble, ...facts } = server
  return { server: { ...facts, hasPassword: password !== '' }, trouble }
}

/** A mail server as it is given; a password of `null` = the one that is stored. */
export type GivenMailServer = MailServer & { readonly password: string | null }

/** Takes another mail server, or none. */
export async function setMailServer(sql: Sql, given: GivenMailServer | null): Promise<void> {
  const before = await mailServer(sql)
  await sql.transaction(async (tx) => {
    await saveMailServer(tx, given && { ...given, password: passwordOf(given, before) })
    const words = given
      ? `Mail server: ${given.host}:${given.port} (${given.security})`
      : 'Mail server removed'
    await record(tx, 'settings', words)
  })
}

/** A stored password goes to no other server than that for which it was given. */
function passwordOf(given: GivenMailServer, before: (MailServer & { password: string }) | null): string {
  if (given.password !== null) return given.password
  const isSame =
    before?.host === given.host && before.user === given.user && before.security === given.security
  if (before && before.password !== '' && !isSame)
    throw new ApiError('not-possible', '', [
      { path: 'password', message: 'is missing: enter it again, since the server or the user changed' },
    ])
  return before?.password ?? ''
}

/**
 * Sends a test message by a mail server.
 *
 * @throws ApiError `not-sent` with the server's reason
 */
export async function tryMailServer(sql: Sql, given: GivenMailServer, to: string): Promise<void> {
  const server = { ...given, password: passwordOf(given, await mailServer(sql)) }
  const name = (await place(sql))?.name ?? 'Kairostat'
  const text = 'This is a test message. Notices will arrive like this one.'
  await sendMail(server, { to, subject: `Test message of ${name}`, text }).catch(notSent)
}

/** The webhooks, without their secrets. */
export function webhooksAnswer(sql: Sql): Promise<WebhookAnswer[]> {
  return webhooks(sql)
}

/** Makes a webhook; the secret that signs what is sent is told this once. */
export async function makeWebhook(
  sql: Sql,
  { url, kinds }: { url: string; kinds: readonly NoticeKind[] },
  author: string,
): Promise<MadeWebhook> {
  const [id, secret] = [randomBytes(6).toString('hex'), newSecret()]
  await sql.transaction(async (tx) => {
    await addWebhook(tx, { id, url, kinds, author, secret })
    await record(tx, 'settings', `Webhook added: ${url}`)
  })
  return { id, secret }
}

/**
 * Deletes a webhook.
 *
 * @throws ApiError `not-found`
 */
export async function deleteWebhook(sql: Sql, id: string): Promise<void> {
  const hook = await webhookOf(sql, id)
  if (!hook || !(await removeWebhook(sql, id)))
    throw new ApiError('not-found', 'That webhook was deleted already.')
  await record(sql, 'settings', `Webhook deleted: ${hook.url}`)
}

/**
 * Sends a test notice to a webhook.
 *
 * @throws ApiError `not-found`, `not-sent` with the reason
 */
export async function tryWebhook(sql: Sql, id: string): Promise<void> {
  const hook = await webhookOf(sql, id)
  if (!hook) throw new ApiError('not-found', 'That webhook was deleted already.')
  const name = (await place(sql))?.name ?? ''
  const at = new Date().toISOString().replace(/\.\d+/, '')
  await postHook(hook, { id: 0, kind: 'test', at, place: name, words: 'A test notice' }).catch(notSent)
}

function notSent(error: unknown): never {
  throw new ApiError('not-sent', errorText(error))
}
