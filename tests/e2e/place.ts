import { test as base, expect, type Page } from '@playwright/test'
import { PASSWORD, startPlace, type Place } from '../support/place.ts'

/** Tests with the demo running for the whole file. */
export const test = base.extend<{ signedIn: Page }, { place: Place }>({
  place: [async ({}, use) => {
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
