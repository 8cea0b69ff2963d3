import { afterAll, beforeAll, beforeEach, expect, test } from 'vitest'
import type { Database } from '../database/database.ts'
import { migrate } from '../database/migrate.ts'
import { savePlace } from '../draft/place-sql.ts'
import { condenseUsage, forgetUsage, saveUsage } from './usage-sql.ts'
import { HOUR, startOfHour } from '../../core/time/duration.ts'
import { dayAt, instantText, startOfDay } from '../../core/time/instant.ts'
import type { GatewayAnswer } from '../../protocol/answers.ts'
import type { Gateway, GatewayStatus } from '../../protocol/gateway/gateway.ts'
import { FIRST_SETTINGS } from '../../protocol/gateway/settings.ts'
import type { UsageHour } from '../../protocol/gateway/usage.ts'
import { policyOf } from '../../tests/support/arbitraries.ts'
import { metricsText } from './metrics.ts'
import { usage, usageFile, usageKeeper, usageToday } from './usage.ts'
import { testDatabase } from '../../tests/support/database.ts'

const MAC = '02:5e:10:00:00:01'
const OTHER = '02:5e:10:00:00:02'
let sql: Database
beforeAll(async () => {
  sql = await testDatabase()
  await migrate(sql)
  await savePlace(sql, { name: 'Saltmarsh Bindery', timeZone: 'Europe/Lisbon' })
})
beforeEach(() => sql.exec('delete from usage_hour; delete from usage_day'))
afterAll(() => sql.close())

const used = (hour: string, bytes: number, more: Partial<UsageHour> = {}): UsageHour => ({
  run: 'one',
  mac: MAC,
  network: null,
  hour,
  sent: { packets: 1, bytes },
  received: { packets: 2, bytes: 10 * bytes },
  dropped: 3,
  minutes: 40,
  ...more,
})
const asked = (by: 'hour' | 'day', from: string, until: string, macs = '') =>
  usage(sql, { by, from, until, macs })

test('days are those of the place, also where the clock changes, and runs are parts of one hour', async () => {
  // In Lisbon the clock goes back on 25 October 2026 at 02:00, which is 01:00 UTC.
  await saveUsage(sql, [
    used('2026-10-24T22:00:00Z', 1),
    used('2026-10-24T23:00:00Z', 2),
    used('2026-10-25T23:00:00Z', 4),
    used('2026-10-25T23:00:00Z', 8, { run: 'two' }),
    used('2026-10-26T00:00:00Z', 16, { mac: OTHER, network: 'guest' }),
  ])
  const days = await asked('day', '2026-10-24T00:00:00Z', '2026-10-27T00:00:00Z')
  expect(
    days.map(({ at, mac, network, sent, received, minutes }) => [at, mac, network, sent, received, minutes]),
  ).toEqual([
    ['2026-10-24', MAC, '', 1, 10, 40],
    ['2026-10-25', MAC, '', 14, 140, 120],
    ['2026-10-26', OTHER, 'guest', 16, 160, 40],
  ])
  const hours = await asked('hour', '2026-10-25T00:00:00Z', '2026-10-26T00:00:00Z', MAC)
  expect(hours).toEqual([
    {
      mac: MAC,
      network: '',
      at: '2026-10-25T23:00:00Z',
      sent: 12,
      received: 120,
      packets: 6,
      dropped: 6,
      minutes: 60,
    },
  ])
})

test('what comes twice counts once, and what came last counts', async () => {
  const news: UsageHour[][] = [
    [used('2026-11-23T12:00:00Z', 5)],
    [used('2026-11-23T12:00:00Z', 5), used('2026-11-23T13:00:00Z', 1)],
    [used('2026-11-23T12:00:00Z', 7)],
  ]
  const askedFor: unknown[] = []
  const keep = usageKeeper(sql, {
    status: async () => ({ settings: FIRST_SETTINGS }) as GatewayStatus,
    usage: async (run, number) => {
      askedFor.push([run, number])
      return { run: 'one', number: 10 + askedFor.length, hours: news.shift()! }
    },
  })
  for (let turn = 0; turn < 3; turn++) await keep()
  expect(askedFor).toEqual([
    [null, 0],
    ['one', 11],
    ['one', 12],
  ])
  const rows = await asked('hour', '2026-11-23T00:00:00Z', '2026-11-24T00:00:00Z')
  expect(rows.map(({ sent }) => sent)).toEqual([7, 1])
})

test('hours become days after sixty days, with the same sums, and days go after two years', async () => {
  const daysAgo = (days: number) => {
    const instant = new Date(Date.now() - days * 86_400_000)
    return `${instant.toISOString().slice(0, 13)}:00:00Z`
  }
  await saveUsage(
    sql,
    [1, 59, 61, 61.1, 100, 800].map((days, index) => used(daysAgo(days), 1 + index)),
  )
  const sums = async () => {
    const rows = await asked('day', daysAgo(200), daysAgo(-1))
    return rows.map(({ at, sent, dropped, minutes }) => [at, sent, dropped, minutes])
  }
  const before = await sums()
  for (let turn = 0; turn < 2; turn++) await condenseUsage(sql, 'Europe/Lisbon')
  expect(await sums()).toEqual(before)
  expect(await sql.query('select count(*)::int as hours from usage_hour')).toEqual([{ hours: 2 }])
  expect(await asked('day', daysAgo(1000), daysAgo(200))).toEqual([])
})

test('a file has the names, and a time that cannot be told is refused', async () => {
  await sql.exec(`insert into device (id, position, name, kind, shielded, note) values ('a', 1, '=Guillotine', 'other', false, '');
    insert into adapter (mac, device_id, position, medium) values ('${MAC}', 'a', 1, 'other')`)
  await saveUsage(sql, [used('2026-11-23T12:00:00Z', 5)])
  const query = { by: 'hour', from: '2026-11-23T00:00:00Z', until: '2026-11-24T00:00:00Z', macs: '' } as const
  const text = await usageFile(sql, query)
  expect(text.split('\r\n')).toEqual([
    'hour,device,mac,network,bytes sent,bytes received,packets,dropped,active minutes',
    `2026-11-23T12:00:00Z,'=Guillotine,${MAC},,5,50,3,3,40`,
    '',
  ])
  await expect(usage(sql, { ...query, until: '2026-11-23T00:00:00Z' })).rejects.toThrow('after “from”')
  await expect(usage(sql, { ...query, from: '2026-01-01T00:00:00Z' })).rejects.toThrow('8 days are told')
  await expect(usage(sql, { ...query, macs: MAC, from: '2026-01-01T00:00:00Z' })).rejects.toThrow('62 days')
})

test('of an exempt device nothing is kept, and where nothing is counted nothing at all', async () => {
  await saveUsage(sql, [used('2026-11-23T12:00:00Z', 5), used('2026-11-23T12:00:00Z', 5, { mac: OTHER })])
  const kept = async () =>
    (await asked('day', '2026-11-23T00:00:00Z', '2026-11-24T00:00:00Z')).map(({ mac }) => mac)
  await forgetUsage(sql, { kept: true, kilobytes: 20, exempt: ['a'] })
  expect(await kept()).toEqual([OTHER])
  await forgetUsage(sql, { kept: false, kilobytes: 20, exempt: [] })
  expect(await kept()).toEqual([])
})

test('metrics carry what each adapter used since midnight of the place, and nothing of the day before', async () => {
  const now = Math.floor(Date.now() / 1000)
  const midnight = startOfDay(dayAt(now, 'Europe/Lisbon'), 'Europe/Lisbon')
  await saveUsage(sql, [
    used(instantText(midnight - HOUR), 1),
    used(instantText(midnight), 2),
    used(instantText(startOfHour(now)), 4, { run: 'two', network: 'guest' }),
  ])
  const today = await usageToday(sql, 'Europe/Lisbon')
  const device = { id: 'press', name: 'Press', adapters: [{ mac: MAC, medium: 'wifi' }] }
  const policy = policyOf({ kairostat: 1, place: { name: 'Bindery', timeZone: 'UTC' }, devices: [device] })
  const live = { policy, digest: '', revision: null }
  const away = { state: 'away' } as GatewayAnswer
  const { text } = await metricsText(live, today, [], away, {} as Gateway)
  const figures = text.split('\n').filter((line) => line.startsWith('kairostat_usage'))
  const labels = (network: string) => `mac="${MAC}",device="press",network="${network}"`
  expect(figures.sort()).toEqual(
    [
      `kairostat_usage_bytes_total{${labels('')},direction="received"} 20`,
      `kairostat_usage_bytes_total{${labels('')},direction="sent"} 2`,
      `kairostat_usage_bytes_total{${labels('guest')},direction="received"} 40`,
      `kairostat_usage_bytes_total{${labels('guest')},direction="sent"} 4`,
      `kairostat_usage_minutes_total{${labels('')}} 40`,
      `kairostat_usage_minutes_total{${labels('guest')}} 40`,
    ].sort(),
  )
})
