import { spawnSync } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import { parseArgs } from 'node:util'
import { deviceChanges } from '../../core/change/hours.ts'
import { policyFindings } from '../../core/findings/rules.ts'
import { compile, everyDevice } from '../../core/decision/compile.ts'
import { momentsAt, standingsAt } from '../../core/decision/moment.ts'
import { timelines } from '../../core/decision/timeline.ts'
import type { Destination } from '../../core/destination/destination.ts'
import { matcherOfList } from '../../core/destination/matcher.ts'
import { readSites } from '../../core/import/site-list.ts'
import { canonicalText, digestOf } from '../../core/policy/canonical.ts'
import { readInstant } from '../../core/time/instant.ts'
import { barsOf, usePerDevice } from '../../app/model/usage.ts'
import { oracleStanding } from '../support/oracle.ts'
import { boardTime, browserFigures } from './browser.ts'
import { gatewayFigures, routerDropTime, sshFigures } from './gateway.ts'
import { longListFigures } from './long-list.ts'
import { nameFigures } from './names.ts'
import { placesFigures } from './places.ts'
import { routeTimes } from './routes.ts'
import { largePolicy } from './policy.ts'
import { putLiveTime } from './live.ts'
import { median, Report } from './report.ts'

const {
  values: { json, brief: isBrief },
} = parseArgs({ options: { json: { type: 'string' }, brief: { type: 'boolean' } } })
const report = new Report()
const figure = report.add.bind(report)
if (isBrief) {
  await briefFigures()
  process.exit()
}

const MONDAY = readInstant('2026-11-23T00:00:00Z')!
const WEEK = 7 * 86400
const policy = largePolicy({ devices: 1000, rules: 100, schedules: 20, seed: 1 })
const compiled = compile(policy)
const everyone = everyDevice(compiled)
let at = MONDAY
const later = () => (at += 613)

figure(
  'policy of 1,000 devices, 100 rules made ready',
  median(9, () => compile(policy)),
  'ms',
)
figure(
  'everyone’s state at one moment',
  median(25, () => standingsAt(compiled, everyone, later())),
  'ms',
  { most: 10 },
)
figure(
  'everyone’s state with since and until',
  median(9, () => momentsAt(compiled, everyone, later())),
  'ms',
)
const week = median(9, () => timelines(compiled, everyone, MONDAY, MONDAY + WEEK))
figure('everyone’s timeline of a week', week, 'ms', { most: 250 })

// The usage of 334 devices in 30 days, as the page of activity adds it up and draws it.
const used = Array.from({ length: 10_000 }, (_, index) => ({
  mac: `02:5e:10:00:${((index % 334) >> 8).toString(16).padStart(2, '0')}:${(index % 256).toString(16).padStart(2, '0')}`,
  network: '',
  at: `2026-11-${String(1 + (Math.floor(index / 334) % 30)).padStart(2, '0')}`,
  sent: index * 1000,
  received: index * 9000,
  packets: index,
  dropped: index % 7,
  minutes: index % 1440,
}))
figure(
  '10,000 device-days of use, by device and as bars',
  median(9, () => [usePerDevice(used, [], 'bytes'), barsOf(used, 'day', 'Europe/Lisbon')]),
  'ms',
  { most: 100 },
)

// The same span for the same devices in both; the oracle asks every minute of a day for five of them.
const sample = everyone.filter((_, index) => index % 200 === 0)
const begun = performance.now()
for (const subject of sample)
  for (let minute = MONDAY; minute < MONDAY + 86400; minute += 60) oracleStanding(policy, subject, minute)
const oraclePerDeviceDay = (performance.now() - begun) / sample.length
figure('oracle, minute by minute, a device and day', oraclePerDeviceDay, 'ms')
figure(
  'speed against the oracle, a device and day',
  oraclePerDeviceDay / (week / everyone.length / 7),
  'times',
  { least: 100 },
)

const four = compile(largePolicy({ devices: 4000, rules: 100, schedules: 20, seed: 1 }))
figure(
  'cost of four times the devices',
  median(5, () => timelines(four, everyDevice(four), MONDAY, MONDAY + WEEK)) / week,
  'times',
  { most: 5 },
)
figure(
  'canonical text and digest of that policy',
  median(9, () => [canonicalText(policy), digestOf(policy)]),
  'ms',
)

const many = largePolicy({ devices: 1000, rules: 200, schedules: 20, seed: 2 })
const manyCompiled = compile(many)
const theirWeek = median(9, () => timelines(manyCompiled, everyDevice(manyCompiled), MONDAY, MONDAY + WEEK))
const findings = median(5, () => policyFindings(many, later()))
figure('findings of 1,000 devices and 200 rules', findings, 'ms')
figure('the same to the timeline of their week', findings / theirWeek, 'times', { most: 3 })
const changed = {
  ...policy,
  rules: policy.rules.map((rule, index) => (index === 72 ? { ...rule, enabled: false } : rule)),
}
// A draft is another at every edit; what is live stays the same.
const review = median(9, () => deviceChanges(policy, { ...changed }, MONDAY, MONDAY + WEEK))
figure('what a changed rule does to the week of 1,000 devices', review, 'ms')
figure('the same to the timeline of their week', review / week, 'times', { most: 2 })

const names = Array.from(
  { length: 1_000_000 },
  (_, index) => `host${index.toString(36)}.zone${index % 977}.example`,
)
const text = names.join('\n')
global.gc!()
const usedMemory = () => process.memoryUsage().heapUsed + process.memoryUsage().arrayBuffers
const before = usedMemory()
let begunReading = performance.now()
const { entries } = readSites(text)
figure('a list of a million names read', performance.now() - begunReading, 'ms')
begunReading = performance.now()
const matches = matcherOfList(entries)
const destinations = Array.from({ length: 200_000 }, (_, index): Destination => ({
  host: index % 2 ? `www.${names[index * 4]!}` : `nowhere${index}.example`,
  address: null,
  protocol: null,
  port: null,
}))
matches(destinations[0]!)
figure('its matcher made ready', performance.now() - begunReading, 'ms')
global.gc!()
figure('memory of both', (usedMemory() - before) / 1e6, 'MB')
figure(
  'a look-up among them',
  (median(5, () => {
    if (destinations.filter(matches).length !== 100_000)
      throw new Error('The look-ups do not find what is there.')
  }) *
    1000) /
    destinations.length,
  'us',
  { most: 1 },
)

const file = `${process.env.BENCH_FOLDER}/policy.json`
writeFileSync(file, canonicalText(policy))
const command = (...args: string[]) => {
  const { status, stderr } = spawnSync(process.execPath, ['bin/kairostat', ...args], { encoding: 'utf8' })
  if (status !== 0) throw new Error(stderr)
}
figure(
  'kairostat --help, from start to end',
  median(9, () => command('--help')),
  'ms',
  { most: 400 },
)
figure(
  'kairostat check of 1,000 devices',
  median(5, () => command('check', '--policy', file, '--at', 'now', '--json')),
  'ms',
)

const live = await putLiveTime(9)
figure('putting live until the gateway confirmed it', live, 'ms', { most: 1000 })

const router = await gatewayFigures()
figure('from asking until a device of 250 is cut off by the kernel', router.firstDrop, 'ms', { most: 300 })
const overSsh = await sshFigures()
figure('the same over SSH, from asking until the kernel of the router drops', overSsh.firstDrop, 'ms', {
  most: 1000,
})
figure('what a router over SSH runs while nothing happens', overSsh.commandsPerMinute, 'a minute')
figure('what goes over the wire meanwhile', overSsh.bytesPerMinute / 1000, 'kB a minute')
figure('1,000 devices, 50 timelines, 14 days, loaded', router.load, 'ms', { most: 1000 })
figure('5,000 devices at rest, of a core', router.rest * 100, '%', { most: 5 })
figure('the longest that a look-up waits while a million names are made ready', router.many.wait, 'ms', {
  most: 100,
})
figure('a table with these, flushed by somebody, until it is back', router.many.back, 'ms', { most: 100 })
figure('throughput with that, small packets, to an empty table', router.small.tracked, 'times', {
  least: 0.85,
})
figure('throughput with that, one TCP stream, to an empty table', router.stream.tracked, 'times', {
  least: 0.97,
})
figure('the first to a router that tracks no connections', router.small.bare, 'times')
figure('the second to a router that tracks no connections', router.stream.bare, 'times')

const { ours, shares, memory } = await nameFigures()
figure('closed names answered, a million in the lists, to dnsmasq', shares.closed.rate, 'times', {
  least: 0.5,
})
figure('open names answered that are asked for again, to dnsmasq', shares.open.rate, 'times')
figure('open names forwarded, each for the first time, to dnsmasq', shares.fresh.rate, 'times', { least: 1 })
figure('closed names answered', ours.closed.rate, '1/s')
figure('open names answered', ours.open.rate, '1/s')
figure('open names forwarded', ours.fresh.rate, '1/s')
figure('the slowest hundredth of closed answers, to dnsmasq', shares.closed.p99, 'times')
figure('the slowest hundredth of forwarded answers, to dnsmasq', shares.fresh.p99, 'times')
figure('memory of the resolver with a million names', memory.ours, 'MB')
figure('memory of dnsmasq with them', memory.dnsmasq, 'MB')

const shown = await browserFigures()
figure(
  'what is blocked now of 500 devices on a phone’s screen, opened again, median of 5',
  shown.phoneAnswer,
  'ms',
  {
    most: 1000,
  },
)
figure('the board of 500 devices, from a cold page, median of 3', shown.boardCold, 'ms', { most: 1500 })
figure('JavaScript of that page and its worker, packed', shown.boardScript, 'kB', { most: 400 })
figure('the board, from another screen', shown.boardAgain, 'ms', { most: 300 })
figure('dragging the needle: a frame, median', shown.dragMedian, 'ms', { most: 20 })
figure('dragging the needle: a frame, 95th percentile', shown.dragLate, 'ms', { most: 50 })
figure('panning the week: a frame, median', shown.panMedian, 'ms', { most: 20 })
figure('panning the week: a frame, 95th percentile', shown.panLate, 'ms', { most: 50 })
figure('a changed rule of the draft, until shown, median', shown.redraw, 'ms', { most: 100 })
figure('a keystroke in the search of 500 devices, until shown', shown.search, 'ms', { most: 50 })
figure('a keystroke in a device’s editor among them', shown.name, 'ms', { most: 50 })
figure('a keystroke in a week’s text, of 50 schedules', shown.week, 'ms', { most: 50 })
figure('scrolling 500 devices: a frame, median', shown.scrollMedian, 'ms', { most: 20 })
figure('scrolling 500 devices: a frame, 95th percentile', shown.scrollLate, 'ms', { most: 50 })
figure('a lease file of 50 MB read in the page', shown.lease, 'ms', { most: 10_000 })
figure('longest wait for a frame meanwhile', shown.leaseGap, 'ms', { most: 200 })

figure('a list of a million names read in the page', shown.names, 'ms', { most: 10_000 })
figure('longest wait for a frame meanwhile', shown.namesGap, 'ms')

const long = await longListFigures()
figure('the board with a list of a million sites live, to without', long.board, 'times', { most: 1.2 })
figure('an edit with that list, to without', long.edit, 'times')

await placesFigures(figure)
await routeFigures(5)

if (json) writeFileSync(json, `${JSON.stringify(report.figures, null, 2)}\n`)
process.exitCode = report.figures.some(({ met }) => met === false) ? 1 : 0

/** One small figure of each kind, to see that all that measures runs; none has a target. */
async function briefFigures(): Promise<void> {
  const small = largePolicy({ devices: 20, rules: 5, schedules: 3, seed: 1 })
  figure(
    'policy of 20 devices made ready',
    median(1, () => compile(small)),
    'ms',
  )
  figure('putting live until the gateway confirmed it', await putLiveTime(1), 'ms')
  figure('from asking until a device of 250 is cut off by the kernel', await routerDropTime(), 'ms')
  const { shares } = await nameFigures({ names: 1000, turns: { closed: 1, open: 1, fresh: 1 } })
  figure('closed names answered, a thousand in the lists, to dnsmasq', shares.closed.rate, 'times')
  figure('the board of 500 devices, from a cold page', await boardTime(), 'ms')
  const long = await longListFigures({ sites: 1000, turns: 1 })
  figure('an edit with a list of a thousand sites, to without', long.edit, 'times')
  await placesFigures(figure, { places: 2, streams: 2, seconds: 1, restSeconds: 1, hasTargets: false })
  await routeFigures(1)
}

/** The heaviest of ten routes, four of it at once, and how long somebody else waited for a page meanwhile. */
async function routeFigures(turns: number): Promise<void> {
  const times = await routeTimes(turns)
  figure(`the slowest of ten routes: GET ${times[0]!.route}`, times[0]!.took, 'ms')
  const worst = times.toSorted((a, b) => b.othersWaited - a.othersWaited)[0]!
  figure(`longest wait of others, beside GET ${worst.route}`, worst.othersWaited, 'ms')
}
