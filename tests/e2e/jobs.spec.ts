import type { Page } from '@playwright/test'
import { counting } from './support/counting.ts'
import { ahead, choose, expect, openPage, test } from './support/place.ts'

test.use({ only: 'jobs' })

async function look(page: Page, moment: string) {
  await openPage(page, 'Board')
  await page.getByRole('heading', { level: 1 }).click()
  await page.keyboard.press('m')
  await page.getByLabel('A moment to look at').fill(moment)
  await page.keyboard.press('Enter')
}
async function apply(page: Page) {
  await page.getByRole('link', { name: 'Review changes' }).click()
  await page.getByRole('button', { name: 'Apply changes' }).click()
  await expect(page.getByText(/Revision \d+ is live\./)).toBeVisible()
}

test('the everyday jobs are done by the words on screen, each within a few clicks', async ({
  signedIn: page,
  place,
}) => {
  test.setTimeout(180_000)
  await page.goto(place.url)

  await test.step('block a tablet at night: from its panel, 9 clicks', async () => {
    const acts = await counting(page)
    await page.locator('[data-device="hall-radio"]').click()
    await page.getByRole('link', { name: 'Restrict…' }).click()
    await choose(page, 'When', 'during')
    await choose(page, 'Schedules', 'Night')
    await page.getByLabel('Name', { exact: true }).fill('Radio at night')
    await page.getByRole('button', { name: 'Save' }).click()
    await expect(page.getByText('Hall radio may not reach the internet during Night.')).toBeVisible()
    await apply(page)
    expect(await acts()).toBeLessThanOrEqual(9)
    await look(page, ahead(1, '23:30'))
    await expect(page.locator('[data-device="hall-radio"]')).toContainText('blocked until')
    await page.keyboard.press('n')
  })

  await test.step('allow 30 minutes more: 2 clicks', async () => {
    const acts = await counting(page)
    await page.locator('[data-device="big-screen"]').click()
    await page.getByRole('button', { name: /^End override now$/ }).click()
    await expect(page.getByRole('button', { name: 'Allow for 30 min' })).toBeVisible()
    const before = await acts()
    await page.getByRole('button', { name: 'Allow for 30 min' }).click()
    await expect(page.getByTestId('sentence')).toContainText('by an override')
    expect((await acts()) - before).toBe(1)
    await page
      .getByRole('complementary', { name: 'Big screen' })
      .getByRole('button', { name: 'Close' })
      .click()
  })

  await test.step('block a site for all but one: 10 clicks', async () => {
    await openPage(page, 'Rules')
    const acts = await counting(page)
    await page.getByRole('button', { name: 'New rule' }).click()
    await choose(page, 'Applies to', 'Everyone')
    await choose(page, 'Except', 'Marta’s phone')
    await choose(page, 'All or some of the internet', 'some sites and apps:')
    await page.getByLabel('Sites').fill('fairground.example')
    await page.getByLabel('Name', { exact: true }).fill('No fairground')
    await page.getByRole('button', { name: 'Save' }).click()
    await expect(
      page.getByText('Everyone, except Marta’s phone, may not reach fairground.example always.'),
    ).toBeVisible()
    await apply(page)
    expect(await acts()).toBeLessThanOrEqual(10)
  })

  await test.step('only two sites for homework: 11 clicks, its list made inside the rule', async () => {
    await openPage(page, 'Rules')
    const acts = await counting(page)
    await page.getByRole('button', { name: 'New rule' }).click()
    await choose(page, 'Applies to', 'Lena’s tablet')
    await choose(page, 'May or may not', 'may reach only')
    await page.getByLabel('Covers', { exact: true }).click()
    await page.getByRole('button', { name: 'New site list' }).click()
    const dialog = page.getByRole('dialog', { name: 'New site list' })
    await dialog.getByLabel('Name', { exact: true }).fill('Homework')
    await dialog.getByRole('textbox', { name: /Sites/ }).fill('encyclopaedia.example\nexercises.example')
    await dialog.getByRole('button', { name: 'Save' }).click()
    await expect(dialog).toHaveCount(0)
    await page.getByLabel('Name', { exact: true }).fill('Homework only')
    await page.getByRole('button', { name: 'Save' }).click()
    await expect(page.getByText('Lena’s tablet may reach only the list Homework always.')).toBeVisible()
    await apply(page)
    expect(await acts()).toBe(11)
  })

  await test.step('a guest for four hours: 4 clicks', async () => {
    await openPage(page, 'Board')
    const acts = await counting(page)
    await page.locator('[data-device]').filter({ hasText: 'lena-laptop' }).click()
    await choose(page, 'For how long', 'for 4 h')
    await page.getByRole('button', { name: 'Allow for 4 h' }).click()
    await expect(page.getByTestId('sentence')).toContainText('by an override')
    expect(await acts()).toBe(4)
  })

  await test.step('who is blocked on Friday at 22:30: one key and a few letters', async () => {
    await look(page, 'fri 22:30')
    await expect(page.getByRole('heading', { level: 1 })).toContainText(/at 22:30, \d+ devices are blocked/)
    await page.keyboard.press('n')
  })

  await test.step('undo an earlier change: 3 clicks', async () => {
    const acts = await counting(page)
    await openPage(page, 'History')
    await page.getByRole('button', { name: 'Restore…' }).first().click()
    await page.getByRole('button', { name: 'Restore now' }).click()
    await expect(page.getByRole('heading', { level: 1 })).toContainText('Revision 5 is live')
    expect(await acts()).toBe(3)
  })

  await test.step('find what a phone was refused today: 5 clicks', async () => {
    const acts = await counting(page)
    await openPage(page, 'Activity')
    const search = page.getByRole('region', { name: 'DNS look-ups' })
    await choose(search, 'Device', 'Lena’s phone')
    await choose(search, 'Outcome', 'blocked')
    await expect
      .poll(
        async () =>
          (await search.locator('li').allTextContents()).every((text) =>
            /Lena’s phone.*blocked/.test(text),
          ) && (await search.locator('li').count()) > 0,
        { timeout: 20_000 },
      )
      .toBe(true)
    expect(await acts()).toBe(5)
  })
})

test('an empty place has a way in, help is one key away, and old addresses lead to the new', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/proof`)
  await expect(page).toHaveURL(`${place.url}/activity`)
  await page.getByRole('heading', { level: 1 }).click()
  await page.keyboard.press('?')
  await page.getByRole('dialog', { name: 'Keys' }).getByRole('link', { name: 'More help' }).click()
  await expect(page.getByRole('heading', { name: 'It is still online' })).toBeVisible()
})

test('an entry has its address, Back returns to where one was, and unsaved edits are asked about', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/rules`)
  await page.getByRole('link', { name: /Guest Wi-Fi by day/ }).click()
  await expect(page).toHaveURL(/\/rules\/guests-by-day$/)
  const name = page.getByLabel('Name', { exact: true })
  await expect(name).toBeInViewport()
  await expect(page.getByRole('button', { name: 'Save' })).toBeInViewport()
  await page.goBack()
  await expect(page.getByRole('link', { name: /Guest Wi-Fi by day/ })).toBeInViewport()
  await page.goForward()

  await name.fill('Guests')
  const question = page.getByRole('dialog', { name: 'Leave without saving?' })
  for (const leave of [
    () => openPage(page, 'Board'),
    () => page.getByRole('link', { name: /Machines stay inside/ }).click(),
    () => page.keyboard.press('Escape'),
    () => page.goBack(),
  ]) {
    await leave().catch(() => {})
    await question.getByRole('button', { name: 'Keep editing' }).click()
    await expect(question).toHaveCount(0)
    await expect(name).toHaveValue('Guests')
    await expect(page).toHaveURL(/\/rules\/guests-by-day$/)
  }
  await page.keyboard.press('Escape')
  await question.getByRole('button', { name: 'Discard edits' }).click()
  await expect(page).toHaveURL(/\/rules$/)
  await expect(page.getByRole('link', { name: /Guest Wi-Fi by day/ })).toBeVisible()

  await page.goto(`${place.url}/rules/gone`)
  await expect(page.getByRole('alert')).toContainText('no longer in the draft')
})

test('where the browser says twelve hours, so do clocks', async ({ browser, place }) => {
  const context = await browser.newContext({ locale: 'en-US', timezoneId: 'Europe/Lisbon' })
  const [name, value] = (await place.signIn()).split('=')
  await context.addCookies([{ name: name!, value: value!, url: place.url }])
  const page = await context.newPage()
  await page.goto(`${place.url}/schedules`)
  await expect(page.getByRole('link', { name: /^Play hours/ })).toContainText(/\d+(:\d\d)? [ap]m to \d/)
  await look(page, 'fri 22:30')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('at 10:30 pm')
  await context.close()
})
