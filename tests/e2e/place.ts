import { test as base, expect, type Page } from '@playwright/test'
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

export { expect }
