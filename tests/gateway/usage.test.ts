import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import type { UsageHour } from '../../protocol/gateway/usage.ts'
import { cutA, FAR, MACS, policyOf, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork()
})
afterAll(() => network.stop())

/** Returns the usage of a device, over all runs of the program. */
async function used(mac: string) {
  const { hours } = await network.gateway.usage(null, 0)
  const own = hours.filter((hour) => hour.mac === mac)
  const sum = (pick: (hour: UsageHour) => number) => own.reduce((all, hour) => all + pick(hour), 0)
  return {
    sent: sum(({ sent }) => sent.packets),
    sentBytes: sum(({ sent }) => sent.bytes),
    received: sum(({ received }) => received.packets),
    dropped: sum(({ dropped }) => dropped),
    minutes: sum(({ minutes }) => minutes),
    runs: new Set(own.map(({ run }) => run)).size,
  }
}
/** Sends pings of 1,000 bytes of IP each; they are answered, or refused to who is blocked. */
const ping = (from: 'cliA' | 'cliB', count: number) =>
  network.run(from, 'sh', '-c', `ping -c ${count} -i 0.02 -s 972 -W 1 ${FAR[4]} || true`)
const until = (isTrue: () => Promise<boolean>) => vi.waitUntil(isTrue, { timeout: 20_000, interval: 500 })

test('what each device sends, gets and is refused is counted once, through kill -9 and another policy', async () => {
  await network.enforce(policyOf({}))
  await ping('cliB', 60)
  await until(async () => (await used(MACS.B)).received >= 60)
  const first = await used(MACS.B)
  expect(first).toMatchObject({ sent: 60, sentBytes: 60_000, received: 60, dropped: 0, minutes: 1, runs: 1 })

  // Another table: what was counted stays, and only who is blocked is refused.
  await network.enforce(policyOf(cutA))
  await Promise.all([ping('cliA', 30), ping('cliB', 30)])
  await until(async () => (await used(MACS.A)).dropped >= 30)
  await until(async () => (await used(MACS.B)).received >= 90)
  expect(await used(MACS.A)).toMatchObject({ sent: 0, received: 0, dropped: 30, minutes: 0 })
  expect(await used(MACS.B)).toMatchObject({ sent: 90, received: 90 })

  // It is written down each minute; what is asked for by then is with the application.
  const news = await network.gateway.usage(null, 0)
  await network.kill('SIGTERM')
  await network.start()
  await ping('cliB', 10)
  await until(async () => (await used(MACS.B)).received >= 100)
  expect(await used(MACS.B)).toMatchObject({ sent: 100, received: 100, runs: 2 })
  const later = await network.gateway.usage(news.run, news.number)
  expect(later.run).not.toBe(news.run)
  expect(new Set(later.hours.map(({ run }) => run))).toEqual(new Set([news.run, later.run]))

  // Killed, it has lost no more than what it had not written down, and counts nothing twice.
  await ping('cliB', 10)
  await network.kill('SIGKILL')
  await network.start()
  await ping('cliB', 10)
  await until(async () => (await used(MACS.B)).runs >= 2)
  const { sent } = await used(MACS.B)
  expect([sent >= 100, sent <= 120]).toEqual([true, true])
})
