import Papa from 'papaparse'
import { dayAt, instantText, readInstant, startOfDay } from '../../core/time/instant.ts'
import { DAY, HOUR } from '../../core/time/duration.ts'
import { guard } from '../../core/import/device-csv.ts'
import type { UsageAnswer } from '../../protocol/answers.ts'
import type { Gateway } from '../../protocol/gateway/gateway.ts'
import type { Sql } from '../database/database.ts'
import { place } from '../database/place-sql.ts'
import { forgetUsage, saveUsage, usageByDay, usageByHour } from './usage-sql.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'

/** The longest time that is asked for by hour: of some adapters, and of all. */
const [MAX_DAYS, MAX_DAYS_OF_ALL] = [62, 8]
/** The hours that are stored at a time before others get their turn. */
const AT_ONCE = 2000

/** A question about usage; `macs` are separated by commas, empty = of all. */
export interface UsageQuery {
  readonly from: string
  readonly until: string
  readonly by: 'hour' | 'day'
  readonly macs: string
}

/**
 * Keeps what the gateway's devices use: each call asks for what changed since the one before.
 *
 * @throws Error where the gateway is away
 */
export function usageKeeper(sql: Sql, gateway: Pick<Gateway, 'status' | 'usage'>): () => Promise<void> {
  let heard: { readonly run: string; readonly number: number } | null = null
  return async () => {
    const news = await gateway.usage(heard?.run ?? null, heard?.number ?? 0)
    for (let at = 0; at < news.hours.length; at += AT_ONCE) {
      await saveUsage(sql, news.hours.slice(at, at + AT_ONCE))
      await new Promise((resolve) => setTimeout(resolve))
    }
    const { usage: setting } = (await gateway.status()).settings
    if (!setting.kept || setting.exempt.length > 0) await forgetUsage(sql, setting)
    heard = { run: news.run, number: news.number }
  }
}

/**
 * Returns the usage by adapter, network and hour or day.
 *
 * @throws ApiError `malformed` where the time is too long or ends before it begins
 */
export async function usage(sql: Sql, { from, until, by, macs }: UsageQuery): Promise<UsageAnswer[]> {
  const length = readInstant(until)! - readInstant(from)!
  if (length <= 0)
    throw new ApiError('malformed', `“until” is ${until}: give an instant after “from” (${from}).`)
  const wanted = macs === '' ? [] : macs.split(',')
  if (by === 'day') {
    const here = await place(sql)
    return usageByDay(sql, from, until, wanted, here?.timeZone ?? 'UTC')
  }
  const most = wanted.length > 0 ? MAX_DAYS : MAX_DAYS_OF_ALL
  if (length > most * DAY)
    throw new ApiError(
      'malformed',
      `By hour, ${most} days are told at a time${wanted.length > 0 ? '' : ` (${MAX_DAYS} of some “macs”)`}: ask for less, or by day.`,
    )
  return usageByHour(sql, from, until, wanted)
}

/** Returns the usage since the day of a zone began, by adapter, network and hour. */
export function usageToday(sql: Sql, zone: string): Promise<UsageAnswer[]> {
  const now = Math.floor(Date.now() / 1000)
  const begun = startOfDay(dayAt(now, zone), zone)
  return usageByHour(sql, instantText(begun), instantText(now + HOUR), [])
}

/**
 * Returns the usage as CSV (RFC 4180), with the names of devices; no value that a spreadsheet would take for a
 * formula.
 */
export async function usageFile(sql: Sql, query: UsageQuery): Promise<string> {
  const names = new Map(
    (
      await sql.query<{ mac: string; name: string }>(
        'select mac, device.name from adapter join device on device.id = adapter.device_id',
      )
    ).map(({ mac, name }): [string, string] => [mac, name]),
  )
  const rows = (await usage(sql, query)).map((row) => ({
    [query.by]: row.at,
    'device': guard(names.get(row.mac) ?? ''),
    'mac': row.mac,
    'network': guard(row.network),
    'bytes sent': row.sent,
    'bytes received': row.received,
    'packets': row.packets,
    'dropped': row.dropped,
    'active minutes': row.minutes,
  }))
  const fields = [
    query.by,
    'device',
    'mac',
    'network',
    'bytes sent',
    'bytes received',
    'packets',
    'dropped',
    'active minutes',
  ]
  await record(sql, 'export', `Usage exported, ${query.from} to ${query.until}`)
  return `${Papa.unparse({ fields, data: rows.map((row) => fields.map((field) => row[field as keyof typeof row])) }, { newline: '\r\n' })}\r\n`
}
