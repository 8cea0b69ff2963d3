import { afterAll, beforeAll, expect, test, vi } from 'vitest'
import { cutA, FAR, MACS, policyOf, startNetwork, type Network } from './network.ts'

let network: Network
beforeAll(async () => {
  network = await startNetwork()
})
afterAll(() => network.stop())

/** The latest end of an allowance (seconds), and the time that this test takes to see it. */
const LATE = 15
const SEEN = 4
/** The local time at which the day of an allowance begins: not while a test runs. */
const begin = () => {
  const hour = (new Date().getUTCHours() + 12) % 24
  return `${String(hour).padStart(2, '0')}:30`
}
const limited = (size: object, overrides: object[] = []) => {
  const after = { ...size, per: 'day', from: begin() }
  return policyOf({ rules: [{ ...cutA.rules[0]!, id: 'ration', name: 'Ration', after }], overrides })
}
/** Sends pings of so many kB each way in all, as fast as they go. */
const send = (from: 'cliA' | 'cliB', kilobytes: number) =>
  network.run(from, 'sh', '-c', `ping -q -c ${kilobytes} -i 0.002 -s 972 -W 1 ${FAR[4]} || true`)
/** Whether somebody reaches the internet: of three pings one may be lost. */
const reaches = async (from: 'cliA' | 'cliB') =>
  (
    await network.run(from, 'sh', '-c', `ping -c 3 -i 0.2 -W 1 ${FAR[4]} >/dev/null && echo yes || echo no`)
  ).includes('yes')
const usedBy = async (device: string | null) =>
  (await network.gateway.allowances(null)).uses.find((use) => use.device === device)?.used ?? 0
/** From when on allowances are used up that still are, or will be (ms). */
const spentNow = async () => {
  const { spent } = await network.gateway.allowances(new Date().toISOString().replace(/\.\d+/, ''))
  return spent.map(({ from }) => Date.parse(from))
}
const until = (isTrue: () => Promise<boolean>, seconds: number) =>
  vi.waitUntil(isTrue, { timeout: seconds * 1000, interval: 300 })

test('an allowance of megabytes ends in time, through kill -9 and restart, and more opens it again', async () => {
  const policy = limited({ megabytes: 2 })
  await network.enforce(policy)
  // Half of it: 500 pings of 1,000 bytes, and as many answers.
  await send('cliA', 500)
  await until(async () => (await usedBy('a')) >= 0.95, LATE)
  expect([await usedBy('a'), await reaches('cliA')]).toEqual([expect.closeTo(1, 1), true])
  // The usage is on disk by then, and a killed gateway goes on from there.
  await new Promise((resolve) => setTimeout(resolve, LATE * 1000))
  await network.kill('SIGKILL')
  await network.start()
  await until(async () => (await usedBy('a')) >= 0.95, LATE)

  await send('cliA', 600)
  const sent = Date.now()
  await until(async () => !(await reaches('cliA')), LATE + SEEN)
  expect((Date.now() - sent) / 1000).toBeLessThan(LATE + SEEN)
  expect(await reaches('cliB')).toBe(true)
  const [from] = await spentNow()
  expect(Math.abs(from! - sent) / 1000).toBeLessThan(LATE)

  // Dead, the kernel still holds to it; so does the next run.
  await network.kill('SIGKILL')
  expect(await reaches('cliA')).toBe(false)
  await network.start()
  expect([await reaches('cliA'), await reaches('cliB')]).toEqual([false, true])

  const now = new Date().toISOString().replace(/\.\d+/, '')
  const more = { effect: 'allow', who: { devices: ['a'] }, more: { megabytes: 1 }, from: now, until: null }
  await network.enforce(limited({ megabytes: 2 }, [{ id: 'more', ...more }]))
  await until(() => reaches('cliA'), SEEN)
  await send('cliA', 600)
  await until(async () => !(await reaches('cliA')), LATE + SEEN)
}, 180_000)

test('an allowance of minutes that two share ends with its minute, for both', async () => {
  const both = { ...cutA.rules[0]!, id: 'both', who: { everyone: true } }
  const after = { minutes: 1, per: 'day', from: begin(), shared: true }
  await network.enforce(policyOf({ rules: [{ ...both, after }] }))
  expect([await reaches('cliA'), await reaches('cliB')]).toEqual([true, true])
  // Not so late that the minute ends while it is sent.
  await until(async () => new Date().getUTCSeconds() < 40, 30)
  await send('cliB', 30)
  const end = Math.ceil(Date.now() / 60_000) * 60_000
  await until(async () => (await spentNow()).length > 0, LATE)
  expect(await spentNow()).toEqual([end])
  expect([await reaches('cliA'), await reaches('cliB')]).toEqual([true, true])
  await new Promise((resolve) => setTimeout(resolve, end - Date.now() + 500))
  expect([await reaches('cliA'), await reaches('cliB')]).toEqual([false, false])
  expect((await network.gateway.decision(MACS.A, new Date().toISOString().replace(/\.\d+/, '')))!.state).toBe(
    'cut-off',
  )
}, 120_000)
