import { PASSWORD } from '../support/place.ts'
import { choose, expect, openPage, test } from './support/place.ts'

const MAC = '02:5e:10:00:00:30'
// No rule closes it, nor a test that comes before in the same place.
const NEIGHBOUR = 'Shelf store'

test('from a device that was only seen to a block that was checked', async ({ page, place }) => {
  const elsewhere: string[] = []
  page.on(
    'request',
    (request) =>
      !request.url().startsWith(place.url) &&
      !/^(data|blob):/.test(request.url()) &&
      elsewhere.push(request.url()),
  )

  // Signs in.
  await page.goto(place.url)
  await expect(page).toHaveURL(/\/sign-in/)
  await page.getByLabel('Name', { exact: true }).fill('demo')
  await page.getByLabel('Password').fill(PASSWORD)
  await page.getByRole('button', { name: 'Sign in' }).click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Right now')

  // Names a device that was only a sighting.
  await openPage(page, 'Devices')
  const card = page.locator(`[data-mac="${MAC}"]`)
  await expect(card).toContainText('lena-laptop')
  await card.getByLabel('Name', { exact: true }).fill('Lena’s laptop')
  await choose(card, 'Group, or same rules as', 'Flat upstairs')
  await card.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByRole('link', { name: /^Lena’s laptop/ })).toBeVisible()
  await expect(card).toHaveCount(0)

  // Makes the hours, as text with its picture, and sees a fault marked.
  await openPage(page, 'Schedules')
  await page.getByRole('button', { name: 'New schedule' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Every night')
  await page.getByRole('textbox', { name: 'Week' }).fill('Mo-Su 21:00-7:60')
  await expect(page.locator('#week-help mark')).toHaveText('7:60')
  await expect(page.getByRole('button', { name: 'Save' })).toBeDisabled()
  await page.getByRole('textbox', { name: 'Week' }).fill('Mo-Su 21:00-07:00')
  await expect(page.locator('#week-help')).toContainText('Every day 21:00 to 07:00 next day: 70 hours a week')
  await expect(page.getByRole('group', { name: 'The week as a picture: Mo-Su 21:00-07:00' })).toBeVisible()
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByRole('link', { name: /Every night .*not used/ })).toBeVisible()

  // Makes the rule, a sentence.
  await openPage(page, 'Rules')
  await page.getByRole('button', { name: 'New rule' }).click()
  await choose(page, 'Applies to', 'Lena’s laptop')
  await choose(page, 'When', 'during')
  await choose(page, 'Schedules', 'Every night')
  await page.getByLabel('Name', { exact: true }).fill('Laptop at night')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText('Lena’s laptop may not reach the internet during Every night.')).toBeVisible()

  // Nothing is blocked yet.
  const row = page.locator('[data-device="lena-s-laptop"]')
  const look = async (moment: string) => {
    await openPage(page, 'Board')
    await page.getByRole('heading', { level: 1 }).click()
    await page.keyboard.press('m')
    await page.getByLabel('A moment to look at').fill(moment)
    await page.keyboard.press('Enter')
  }
  await look('tomorrow 22:00')
  await expect(row).toContainText('draft only')
  await expect(row).not.toContainText('blocked')

  // Puts it live, and sees the gateway's digest confirmed.
  await page.getByRole('link', { name: 'Review changes' }).click()
  await expect(page.getByText('Rule “Laptop at night” is new')).toBeVisible()
  await expect(
    page.getByText(
      /more hours? of access.* fewer hours? of access.* over the next 7 days, on \d+ devices?\.$/,
    ),
  ).toBeVisible()
  const before = Date.now()
  await page.getByRole('button', { name: 'Apply changes' }).click()
  await expect(page.getByText('Revision 2 is live. The gateway confirmed it')).toBeVisible()
  expect(Date.now() - before).toBeLessThan(5000)
  const gateway = (await (
    await place.send('GET', '/api/gateway', { cookie: await place.signIn() })
  ).json()) as { status: { digest: string } }
  await expect(page.getByTestId('standing')).toHaveAttribute('title', gateway.status.digest)
  await expect(page.getByTestId('standing')).toContainText('confirmed by the gateway')

  // Moves the needle to 22:00 and reads why, and back to now.
  await look('tomorrow 22:00')
  await expect(row).toContainText(/blocked until [A-Z]\w\w 07:00/)
  await row.click()
  await expect(page.getByTestId('sentence')).toHaveText(
    /^Blocked since 21:00, until [A-Z]\w+day 07:00, by Laptop at night; rule 17 of 17\.$/,
  )
  await expect(page.getByRole('list', { name: /Rules for it/ })).toContainText('decides')
  await page.keyboard.press('n')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Right now')

  // At a moment inside the window by the gateway's clock, that device's drops are counted while its
  // neighbour's traffic passes.
  const tomorrow = new Date(Date.now() + 86_400_000).toISOString().slice(0, 10)
  await place.send('PUT', '/api/gateway/clock', {
    cookie: await place.signIn(),
    body: { instant: `${tomorrow}T23:30:00Z` },
  })
  await expect(page.getByText(/the gateway’s clock is .* ahead/)).toBeVisible()
  await expect(page.getByTestId('evidence')).toContainText(
    /Last drop \d+ s ago: .*the gateway dropped [1-9]/,
    { timeout: 30_000 },
  )
  await page.getByRole('button', { name: new RegExp(NEIGHBOUR) }).click()
  await expect(page.getByTestId('evidence')).toContainText(/dropped nothing and passed [1-9]/, {
    timeout: 60_000,
  })
  await place.send('PUT', '/api/gateway/clock', { cookie: await place.signIn(), body: { instant: null } })
  await expect(page.getByText('up to date')).toBeVisible()

  expect(elsewhere).toEqual([])
})
