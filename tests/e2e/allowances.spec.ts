import { localText } from '../../core/time/instant.ts'
import { choose, expect, LISBON, openPage, test } from './support/place.ts'

test.use({ only: 'allowances' })

const MAC = '02:5e:10:00:00:14'
const NAME = 'Marta’s phone'
/** The state, which at some hours is "partly blocked" by other rules. */
const BLOCKED = /(?<!partly )blocked/

test('two hours a day are used up while one looks, twenty more are granted, and the next day begins', async ({
  signedIn: page,
  place,
}) => {
  test.setTimeout(120_000)
  const cookie = await place.signIn()
  const send = async (method: string, path: string, body: unknown) =>
    expect((await place.send(method, path, { cookie, body })).ok, `${method} ${path}`).toBe(true)
  const text = (instant: number) => new Date(instant).toISOString().replace(/\.\d+/, '')
  // The made-up apps send little.
  const { settings } = (
    (await (await place.send('GET', '/api/gateway', { cookie })).json()) as { status: { settings: object } }
  ).status
  const usage = { kept: true, kilobytes: 1, exempt: [] }
  await send('PUT', '/api/gateway/settings', { ...settings, usage })

  // The day of the allowance begins some hours ago, whenever the test runs.
  const begins = `${localText(Date.now() / 1000 - 6 * 3600, LISBON).slice(11, 13)}:00`
  await page.goto(place.url)
  await openPage(page, 'Rules')
  await page.getByRole('button', { name: 'New rule' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Two hours of phone')
  await choose(page, 'Applies to', NAME)
  await choose(page, 'At once, or after an allowance', 'after')
  await page.getByLabel('How much may be used').fill('0')
  await page.getByLabel('When the day or week begins').fill(begins)
  await expect(page.getByLabel('How much may be used')).toHaveJSProperty('validity.rangeUnderflow', true)
  await page.getByLabel('How much may be used').fill('120')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(
    page.getByText(`${NAME} may not reach the internet after 2 h a day from ${begins}.`),
  ).toBeVisible()
  await page.goto(`${place.url}/review`)
  await expect(page.getByText('Rule “Two hours of phone” is new')).toBeVisible()
  await page.getByRole('button', { name: 'Apply changes' }).click()
  await expect(page.getByText(/Revision \d+ is live\./)).toBeVisible()

  // The clock of the network goes through minutes in which the phone is used, up to a full one that is to
  // come: the
  // network is never behind the server.
  const minute = Math.ceil((Date.now() + 40_000) / 60_000) * 60_000
  const use = async (from: number, minutes: number) => {
    for (let index = 0; index < minutes; index++) {
      await send('PUT', '/api/gateway/clock', { instant: text(from + index * 60_000 + 5000) })
      await send('PUT', '/api/gateway/use', { mac: MAC, app: 'Quillpost' })
    }
    await send('PUT', '/api/gateway/clock', { instant: text(from + minutes * 60_000 + 1000) })
  }
  await page.goto(`${place.url}/?device=marta-phone`)
  const row = page.locator('[data-device="marta-phone"]')
  const panel = page.getByRole('complementary', { name: NAME })
  // The network sends by itself too: a minute or so of the phone may be used before.
  await expect(row).toContainText(/(?:2 h|1 h 5\d min) left/)
  await use(minute - 120 * 60_000, 80)
  await expect(row).toContainText(/(?:40|3\d) min left/)
  await expect(panel.getByRole('region', { name: 'Allowances' })).toContainText('of 2 h left')
  await expect(panel).toContainText('Blocked at the earliest from')
  await use(minute - 40 * 60_000, 40)
  await page.clock.setFixedTime(minute + 120_000)
  await expect(row).toContainText(BLOCKED)
  await expect(panel.getByTestId('sentence')).toContainText('by Two hours of phone')
  await expect(panel).toContainText('2 h used up, again from')

  // One press adds to it, at once.
  await panel.getByRole('button', { name: '20 more minutes' }).click()
  await expect(page.getByText(`${NAME} has 20 more minutes.`, { exact: true })).toBeVisible()
  await expect(row).toContainText(/(?:20|1\d) min left/)
  await expect(row).not.toContainText(BLOCKED)
  // An addition can be undone, and the buttons to allow and block stay.
  await expect(panel.getByRole('button', { name: /^Allow / })).toBeVisible()
  await panel.getByRole('button', { name: 'Take back' }).click()
  await page.clock.setFixedTime(minute + 150_000)
  await expect(row).toContainText(BLOCKED)
  await panel.getByRole('button', { name: '20 more minutes' }).click()
  await page.clock.setFixedTime(minute + 170_000)
  await expect(row).toContainText(/(?:20|1\d) min left/)
  await use(minute + 3 * 60_000, 20)
  await page.clock.setFixedTime(minute + 24 * 60_000)
  await expect(row).toContainText(BLOCKED)
  await expect(panel).toContainText('2 h 20 min used up')

  // The next day begins with all of it.
  const tomorrow = minute + 86_400_000
  await send('PUT', '/api/gateway/clock', { instant: text(tomorrow) })
  await page.clock.setFixedTime(tomorrow + 50_000)
  await expect(page.getByText(/^Now, /)).toContainText(
    ` ${Number(localText(tomorrow / 1000, LISBON).slice(8, 10))} `,
  )
  await expect(row).toContainText(/(?:2 h|1 h 5\d min) left/)
  // And the past stays as it was.
  await page.keyboard.press('m')
  await page.getByLabel('A moment to look at').fill(localText(minute / 1000 + 1800, LISBON).slice(0, 16))
  await page.keyboard.press('Enter')
  await expect(panel.getByTestId('sentence')).toContainText('by Two hours of phone')
  await send('PUT', '/api/gateway/clock', { instant: null })
})
