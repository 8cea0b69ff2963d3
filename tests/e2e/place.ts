import { test as base, expect, type Page } from '@playwright/test'
import { dateText, dayAt, weekdayOf } from '../../core/time/instant.ts'
import { PASSWORD, startPlace, type Place } from '../support/place.ts'

/** Tests with the demo running for them all, or for those of one file. */
export const test = base.extend<{ signedIn: Page }, { only: string, place: Place }>({
  // A file that changes much says its name here and gets a place of its own.
  only: ['', { option: true, scope: 'worker' }],
  place: [async ({ only: _only }, use) => {
    const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
    await use(place)
    await place.stop()
  }, { scope: 'worker', timeout: 90_000 }],
  signedIn: async ({ page, place }, use) => {
    const [name, value] = (await place.signIn()).split('=') as [string, string]
    await page.context().addCookies([{ name, value, url: place.url }])
    await use(page)
  },
})

/** Opens a page by its name in the navigation. */
export const openPage = (page: Page, name: string) => page.getByRole('navigation', { name: 'Pages', exact: true }).getByRole('link', { name }).click()

/** A time of day as the screens say it, with its weekday where that is another one: tests run around midnight too. */
export const TIME = '(?:[A-Z][a-z]+ )?\\d\\d:\\d\\d'

/** The zone of the demo's place. */
export const LISBON = 'Europe/Lisbon'

/**
 * A local date-time of the demo's place: the first such day of the week (0 = Monday) after today, but for the demo's winter holidays. What is live today is in force
 * then, at whatever time of whatever day the tests run.
 */
export function ahead(weekday: number, clock: string): string {
  const tomorrow = dayAt(Date.now() / 1000, LISBON) + 1
  let day = tomorrow + (weekday - weekdayOf(tomorrow) + 7) % 7
  while (dateText(day) >= '2026-12-18' && dateText(day) <= '2027-01-03') day += 7
  return `${dateText(day)}T${clock}`
}

export { expect }
