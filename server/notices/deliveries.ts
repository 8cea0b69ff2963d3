import { errorText } from '../../core/words/error-text.ts'
import type { Logger } from 'pino'
import { MINUTE } from '../../core/time/duration.ts'
import { plural } from '../../core/words/count.ts'
import type { Sql } from '../database/database.ts'
import {
  hooksDue,
  isAnythingDue,
  mailServer,
  mailsDue,
  mailTries,
  markMailed,
  noteHookTrouble,
  noteMailTrouble,
  noticesFor,
  postponeHook,
  postponeMail,
  removeDelivery,
  type Notice,
} from './notice-sql.ts'
import { place } from '../database/place-sql.ts'
import { sendMail } from './mail.ts'
import { pacedLoop } from '../../node/paced-loop.ts'
import { postHook } from './webhook.ts'

/** The time between two looks for due deliveries. */
const LOOK_MS = 3000
/**
 * For how long notices are gathered before a mail, and the shortest time between two mails to somebody, in
 * seconds.
 */
export const PACE = { gather: 15, pause: 5 * MINUTE } as const
/** The first and the longest pause before a delivery is tried again; each is twice the one before. */
const [FIRST_PAUSE_SECONDS, LONGEST_PAUSE_SECONDS] = [10, 10 * MINUTE]
/** The most notices that a mail lists. */
const LISTED = 100

const pauseAfter = (tries: number) => Math.min(FIRST_PAUSE_SECONDS * 2 ** tries, LONGEST_PAUSE_SECONDS)

/** Sends what is due: to each person one mail with all that waits, to each webhook a notice at a time. */
export async function deliver(sql: Sql, pace: { gather: number; pause: number } = PACE): Promise<void> {
  if (!(await isAnythingDue(sql))) return
  await Promise.all([deliverMails(sql, pace), deliverHooks(sql)])
}

async function deliverMails(sql: Sql, { gather, pause }: { gather: number; pause: number }): Promise<void> {
  const server = await mailServer(sql)
  if (!server) return
  const name = (await place(sql))?.name ?? 'Kairostat'
  for (const { account, mail } of await mailsDue(sql, gather, pause)) {
    const notices = await noticesFor(sql, account)
    try {
      await sendMail(server, { to: mail, ...digest(name, notices) })
    } catch (error) {
      await postponeMail(sql, account, pauseAfter(await mailTries(sql, account)))
      await noteMailTrouble(sql, errorText(error))
      continue
    }
    await markMailed(
      sql,
      account,
      notices.map(({ number }) => number),
    )
    await noteMailTrouble(sql, '')
  }
}

/** Some notices as one mail: the only one, or how many there are, as its subject. */
export function digest(place: string, notices: readonly Notice[]): { subject: string; text: string } {
  const [first] = notices
  const subject =
    notices.length === 1
      ? first!.words.split('\n')[0]!
      : `${notices.length} ${plural(notices.length, 'notice', 'notices')}`
  // A receiver can tell a second delivery of one notice by its number.
  const lines = notices
    .slice(0, LISTED)
    .map(({ words, number }) => `- ${words.replaceAll('\n', '\n  ')} (no. ${number})`)
  const rest = notices.length > LISTED ? [`and ${notices.length - LISTED} more`] : []
  const why = 'You get this since you chose so in Kairostat, under Settings, Notices.'
  return { subject: `${place}: ${subject.slice(0, 150)}`, text: [...lines, ...rest, '', why].join('\n') }
}

async function deliverHooks(sql: Sql): Promise<void> {
  const name = (await place(sql))?.name ?? ''
  await Promise.all(
    (await hooksDue(sql)).map(
      async ({ delivery, webhook, url, secret, tries, number: id, kind, words, at }) => {
        try {
          await postHook({ url, secret }, { id, kind, at, place: name, words })
        } catch (error) {
          await postponeHook(sql, delivery, pauseAfter(tries))
          await noteHookTrouble(sql, webhook, errorText(error))
          return
        }
        await removeDelivery(sql, delivery)
        await noteHookTrouble(sql, webhook, '')
      },
    ),
  )
}

/** Sends notices until the function that comes back is called. */
export function startDeliveries(sql: Sql, log: Logger): () => void {
  return pacedLoop(
    { everyMs: LOOK_MS, isSpread: true },
    () => deliver(sql),
    (error) => log.warn(error, 'notices'),
  )
}
