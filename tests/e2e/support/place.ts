import { test as base, expect, type BrowserContext, type Locator, type Page } from '@playwright/test'
import { dateText, dayAt, weekdayOf } from '../../../core/time/instant.ts'
import { shiftClock } from '../../support/clock.mjs'
import { PASSWORD, startPlace, type Place } from '../../support/place.ts'

/** Tests with the demo running for them all, or for those of one file. */
export const test = base.extend<{ signedIn: Page }, { only: string; place: Place }>({
  // A file that changes much says its name here and gets a place of its own.
  only: ['', { option: true, scope: 'worker' }],
  place: [
    async ({ only: _only }, use) => {
      const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
      await use(place)
      await place.stop()
    },
    { scope: 'worker', timeout: 90_000 },
  ],
  // Every page has the clock of the tests, which may be ahead of the machine's.
  browser: [
    async ({ browser }, use) => {
      const newContext = browser.newContext.bind(browser)
      browser.newContext = async (options) => withClock(await newContext(options))
      await use(browser)
    },
    { scope: 'worker' },
  ],
  context: async ({ context }, use) => use(await withClock(context)),
  signedIn: async ({ page, place }, use) => {
    const [name, value] = (await place.signIn()).split('=') as [string, string]
    await page.context().addCookies([{ name, value, url: place.url }])
    await use(page)
  },
})

async function withClock(context: BrowserContext): Promise<BrowserContext> {
  const aheadMs = Number(process.env.KAIROSTAT_TEST_AHEAD_MS ?? 0)
  if (aheadMs !== 0) await context.addInitScript(shiftClock, aheadMs)
  return context
}

/** Opens a page by its name in the navigation. */
export const openPage = (page: Page, name: string) =>
  page.getByRole('navigation', { name: 'Pages', exact: true }).getByRole('link', { name }).click()

/**
 * A time of day as the screens say it, with its weekday where that is another one: tests run around midnight
 * too.
 */
export const TIME = '(?:[A-Z][a-z]+ )?\\d\\d:\\d\\d'

/** The zone of the demo's place. */
export const LISBON = 'Europe/Lisbon'

/**
 * A local date-time of the demo's place: the first such day of the week (0 = Monday) after today, but for the
 * demo's winter holidays. What is live today is in force
 * then, at whatever time of whatever day the tests run.
 */
export function ahead(weekday: number, clock: string): string {
  const tomorrow = dayAt(Date.now() / 1000, LISBON) + 1
  let day = tomorrow + ((weekday - weekdayOf(tomorrow) + 7) % 7)
  while (dateText(day) >= '2026-12-18' && dateText(day) <= '2027-01-03') day += 7
  return `${dateText(day)}T${clock}`
}

export { expect }

/** Does something from a menu of acts. */
export async function act(page: Page, menu: string, act: string): Promise<void> {
  await page.getByRole('button', { name: menu, exact: true }).click()
  await page.getByRole('menuitem', { name: act, exact: true }).click()
}

/**
 * Chooses from a list of the browser's own, or from a menu, which closes by itself where it takes one entry
 * only.
 */
export async function choose(scope: Page | Locator, menu: string, ...entries: string[]): Promise<void> {
  const page = 'page' in scope ? scope.page() : scope
  const field = scope.getByLabel(menu, { exact: true })
  if ((await field.evaluate(({ tagName }) => tagName)) === 'SELECT') {
    await field.selectOption({ label: entries[0]! })
    return
  }
  await field.click()
  const list = page.getByRole('listbox')
  await expect(list).toBeVisible()
  const takesMany = (await list.getAttribute('aria-multiselectable')) === 'true'
  for (const entry of entries) await list.getByRole('option', { name: entry, exact: true }).click()
  if (takesMany) await page.keyboard.press('Escape')
  await expect(list).toHaveCount(0)
}
