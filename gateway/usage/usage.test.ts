import { mkdtemp, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { expect, test } from 'vitest'
import type { AdapterCount, Count } from '../../protocol/gateway/evidence.ts'
import type { UsageHour } from '../../protocol/gateway/usage.ts'
import { rowStore } from '../state/row-store.ts'
import { hourAt, keyOf, USAGE_FORMAT, UsageMeter } from './usage.ts'
import { UseReader } from './use-reader.ts'

const ZONE = 'Europe/Lisbon'
const NOON = 1_795_428_000
const MAC = '02:5e:10:00:00:01'
const times = (count: number): Count => ({ packets: count, bytes: count * 1000 })
const counted = (mac: string, sent: number, received: number, dropped: number): AdapterCount => ({
  mac,
  seen: times(sent + received + dropped),
  passed: times(sent + received),
  received: times(received),
  dropped: times(dropped),
  lastDrop: null,
})
/** Gives a meter what its counters say at an instant, as a program does that was just started. */
const feeding = (meter: UsageMeter) => {
  const reader = new UseReader()
  return (counts: readonly AdapterCount[], at: number, kilobytes = 20, network: string | null = null) =>
    meter.take(reader.read(counts, at, kilobytes), at, ZONE, () => network)
}
const sum = (hours: readonly UsageHour[], mac: string) =>
  hours
    .filter((hour) => hour.mac === mac)
    .reduce(
      (all, { sent, received, dropped }) => [
        all[0]! + sent.packets,
        all[1]! + received.packets,
        all[2]! + dropped,
      ],
      [0, 0, 0],
    )

// Each step: what passes meanwhile, and what happens then.
const steps = fc.array(
  fc.record({
    after: fc.integer({ min: 1, max: 4000 }),
    mac: fc.constantFrom('a', 'b'),
    more: fc.tuple(fc.nat({ max: 50 }), fc.nat({ max: 50 }), fc.nat({ max: 9 })),
    then: fc.constantFrom('', '', 'fetched', 'lost on the way', 'restarted', 'application restarted'),
  }),
  { maxLength: 60 },
)

test('whatever restarts, and whatever is lost on the way, the application has what the counters say', async () => {
  const folder = await mkdtemp(join(tmpdir(), 'kairostat-unit-'))
  let run = 0
  await fc.assert(
    fc.asyncProperty(steps, async (all) => {
      const file = join(folder, `usage-${++run}`)
      const open = async (part: number) => {
        const meter = new UsageMeter(`${run}-${part}`)
        const store = rowStore(file, meter, USAGE_FORMAT)
        await store.restore()
        return { meter, store, feed: feeding(meter) }
      }
      let { meter, store, feed } = await open(0)
      let counters = { a: [0, 0, 0], b: [0, 0, 0] }
      const wanted = { a: [0, 0, 0], b: [0, 0, 0] }
      const kept = new Map<string, UsageHour>()
      let heard: { run: string; number: number } | null = null
      const fetchNews = (isLost: boolean) => {
        const news = meter.news(heard?.run ?? null, heard?.number ?? 0)
        for (const hour of news.hours) kept.set(keyOf(hour), hour)
        if (!isLost) heard = news
      }
      let at = NOON
      for (const { after, mac, more, then } of all) {
        at += after
        for (const [index, count] of more.entries()) {
          counters[mac][index]! += count
          wanted[mac][index]! += count
        }
        feed(
          [
            counted('a', ...(counters.a as [number, number, number])),
            counted('b', ...(counters.b as [number, number, number])),
          ],
          at,
        )
        if (then === 'fetched') fetchNews(false)
        if (then === 'lost on the way') fetchNews(true)
        if (then === 'application restarted') heard = null
        if (then === 'restarted') {
          await store.write()
          ;({ meter, store, feed } = await open(at))
          counters = { a: [0, 0, 0], b: [0, 0, 0] }
        }
      }
      fetchNews(false)
      const hours = [...kept.values()]
      expect([sum(hours, 'a'), sum(hours, 'b')]).toEqual([wanted.a, wanted.b])
      // Each begins on the hour of the zone's clock, and none is active for longer than it lasts.
      for (const { hour, minutes } of hours) expect([hour.slice(14), minutes <= 60]).toEqual(['00:00Z', true])
    }),
    { numRuns: 60 },
  )
})

test.each([
  ['Europe/Lisbon', '2026-11-23T12:40:00Z', '2026-11-23T12:00:00Z'],
  ['Asia/Kathmandu', '2026-11-23T12:40:00Z', '2026-11-23T12:15:00Z'],
  ['America/St_Johns', '2026-11-23T12:10:00Z', '2026-11-23T11:30:00Z'],
  // An hour that the clock goes through twice is two.
  ['Europe/Lisbon', '2026-10-25T00:59:59Z', '2026-10-25T00:00:00Z'],
  ['Europe/Lisbon', '2026-10-25T01:00:00Z', '2026-10-25T01:00:00Z'],
  ['Australia/Lord_Howe', '2026-10-03T15:40:00Z', '2026-10-03T15:00:00Z'],
])('the hour in %s of %s begins at %s', (zone, at, start) => {
  expect(new Date(hourAt(Date.parse(at) / 1000, zone) * 1000).toISOString()).toBe(start.replace('Z', '.000Z'))
})

test('a minute is active once more than 20 kB passed one way, and counts once', () => {
  const meter = new UsageMeter('one')
  const feed = feeding(meter)
  const minutes = () => meter.all().reduce((sum, hour) => sum + hour.minutes, 0)
  const seen: number[] = []
  // After how many seconds, and how many packets of 1000 bytes were sent and received by then.
  for (const [after, sent, received] of [
    [5, 20, 20],
    [20, 21, 20],
    [40, 60, 90],
    [59, 60, 90],
    [60, 60, 110],
    [75, 60, 111],
    [130, 60, 111],
    [185, 90, 111],
  ] as const) {
    feed([counted(MAC, sent, received, 0)], NOON + after, 20, 'guest')
    seen.push(minutes())
  }
  expect(seen).toEqual([0, 1, 1, 1, 1, 2, 2, 3])
  expect(meter.all()).toMatchObject([{ mac: MAC, network: 'guest', sent: times(90), received: times(111) }])
})

test('a counter that goes down for a reading adds nothing when it is back', () => {
  const meter = new UsageMeter('one')
  const feed = feeding(meter)
  for (const [turn, sent] of [50, 40, 50, 60, 0, 60, 61].entries())
    feed([counted(MAC, sent, 5, 9)], NOON + 5 * turn)
  expect(meter.all()).toMatchObject([{ sent: times(61), received: times(5), dropped: 9 }])
})

test('what nobody uses makes no row, old hours go, and who makes up addresses fills no memory', () => {
  const meter = new UsageMeter('one')
  const feed = feeding(meter)
  feed([counted(MAC, 0, 0, 0)], NOON)
  expect(meter.size()).toBe(0)
  feed([counted(MAC, 5, 5, 1)], NOON)
  feed([counted(MAC, 6, 6, 1)], NOON + 9 * 86_400)
  expect(meter.all().map(({ sent, dropped }) => [sent.packets, dropped])).toEqual([[1, 0]])
  const madeUp = Array.from({ length: 120_000 }, (_, index) => counted(`made up ${index}`, 1, 0, 0))
  feed(madeUp, NOON + 9 * 86_400)
  expect(meter.size()).toBe(100_000)
})

test('a line that is no hour is left out, and the others count', async () => {
  const folder = await mkdtemp(join(tmpdir(), 'kairostat-unit-'))
  const file = join(folder, 'usage.jsonl')
  const good = ['one', MAC, null, '2026-11-23T12:00:00Z', [1, 2, 3, 4, 5, 6]]
  const bad = [
    [...good.slice(0, 4), [1, 2, 3, 4, 5, -6]],
    [...good.slice(0, 4), [1]],
    good.slice(0, 3),
    {},
    null,
  ]
  await writeFile(file, `${[...bad, good].map((line) => JSON.stringify(line)).join('\n')}\n{"cut`)
  const meter = new UsageMeter('two')
  expect(await rowStore(file, meter, USAGE_FORMAT).restore()).toBe(bad.length + 1)
  expect(meter.news(null, 0).hours).toEqual([
    {
      run: 'one',
      mac: MAC,
      network: null,
      hour: '2026-11-23T12:00:00Z',
      sent: { packets: 1, bytes: 2 },
      received: { packets: 3, bytes: 4 },
      dropped: 5,
      minutes: 6,
    },
  ])
})

test('an exempt device is not counted, nor kept; the measure of an active minute is chosen', () => {
  const meter = new UsageMeter('one')
  const feed = feeding(meter)
  const take = (packets: number, after: number, kilobytes: number) =>
    feed([counted(MAC, packets, 0, 0), counted('b', packets, 0, 0)], NOON + after, kilobytes)
  const rows = () => meter.all().map(({ mac, sent, minutes }) => [mac, sent.packets, minutes])
  take(10, 0, 20)
  meter.set({ kept: true, kilobytes: 5, exempt: [] }, new Set(['b']))
  take(20, 60, 5)
  expect(rows()).toEqual([[MAC, 20, 1]])
  // Counted again, it has what it uses from then on.
  meter.set({ kept: true, kilobytes: 500, exempt: [] }, new Set())
  take(30, 120, 500)
  expect(rows()).toEqual([
    [MAC, 30, 1],
    ['b', 10, 0],
  ])
  meter.set({ kept: false, kilobytes: 5, exempt: [] }, new Set())
  take(40, 180, 5)
  expect([rows(), meter.changes()]).toEqual([[], []])
})
