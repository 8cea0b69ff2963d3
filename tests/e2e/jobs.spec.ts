import type { Page } from '@playwright/test'
import { ahead, choose, expect, openPage, test } from './place.ts'

test.use({ only: 'jobs' })

/** Counts what one presses and chooses from now on; answers how much that was. */
async function counting(page: Page): Promise<() => Promise<number>> {
  await page.evaluate(() => {
    const state = window as unknown as { acts?: number }
    const isCounting = state.acts !== undefined
    state.acts = 0
    if (isCounting) return
    const count = () => state.acts!++
    document.addEventListener('click', event => event.isTrusted && count(), true)
    document.addEventListener('change', event => event.target instanceof HTMLSelectElement && count(), true)
  })
  return () => page.evaluate(() => (window as unknown as { acts: number }).acts)
}
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

test('the everyday jobs are done by the words on screen, each within a few clicks', async ({ signedIn: page, place }) => {
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
    expect(await acts() - before).toBe(1)
    await page.getByRole('complementary', { name: 'Big screen' }).getByRole('button', { name: 'Close' }).click()
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
    await expect(page.getByText('Everyone, except Marta’s phone, may not reach fairground.example always.')).toBeVisible()
    await apply(page)
    expect(await acts()).toBeLessThanOrEqual(10)
  })

  await test.step('a guest for four hours: 3 clicks', async () => {
    await openPage(page, 'Board')
    const acts = await counting(page)
    await page.locator('[data-device]').filter({ hasText: 'lena-laptop' }).click()
    await choose(page, 'For how long', 'for 4 h')
    await page.getByRole('button', { name: 'Allow for 4 h' }).click()
    await expect(page.getByTestId('sentence')).toContainText('by an override')
    expect(await acts()).toBe(3)
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
    await expect(page.getByRole('heading', { level: 1 })).toContainText('Revision 4 is live')
    expect(await acts()).toBe(3)
  })

  await test.step('find what a phone was refused today: 3 clicks', async () => {
    const acts = await counting(page)
    await openPage(page, 'Activity')
    const search = page.getByRole('region', { name: 'DNS look-ups' })
    await choose(search, 'Device', 'Lena’s phone')
    await choose(search, 'Outcome', 'blocked')
    await expect.poll(async () => (await search.locator('li').allTextContents()).every(text => /Lena’s phone.*blocked/.test(text)) && await search.locator('li').count() > 0, { timeout: 20_000 }).toBe(true)
    expect(await acts()).toBe(3)
  })
})

test('an empty place has a way in, help is one key away, and old addresses lead to the new', async ({ signedIn: page, place }) => {
  await page.goto(`${place.url}/proof`)
  await expect(page).toHaveURL(`${place.url}/activity`)
  await page.getByRole('heading', { level: 1 }).click()
  await page.keyboard.press('?')
  await page.getByRole('dialog', { name: 'Keys' }).getByRole('link', { name: 'More help' }).click()
  await expect(page.getByRole('heading', { name: 'It is still online' })).toBeVisible()
})
