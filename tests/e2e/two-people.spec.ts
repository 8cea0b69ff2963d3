import type { Page } from '@playwright/test'
import { fillDemo } from '../../server/demo/fill.ts'
import { openServer } from '../../server/database/postgres.ts'
import { newDatabase } from '../support/database.ts'
import { PASSWORD, startPlace } from '../support/place.ts'
import { startPostgres } from '../support/postgres.ts'
import { expect, test } from './support/place.ts'

test('two people edit at once, each at a process of its own on one database: both see it, nothing is overwritten, and one applies', async ({
  browser,
}) => {
  const server = await startPostgres()
  const DATABASE_URL = await newDatabase(server.url)
  const database = await openServer(DATABASE_URL, fail, 'alone')
  await fillDemo(database, PASSWORD, 'workshop')
  await database.close()
  const places = [await startPlace({ DATABASE_URL }), await startPlace({ DATABASE_URL })]
  const contexts = [await browser.newContext(), await browser.newContext()]
  try {
    const [ada, bo] = (await Promise.all(
      places.map(async (place, index) => {
        const cookie = await place.signIn()
        const [name, value] = cookie.split('=') as [string, string]
        await contexts[index]!.addCookies([{ name, value, url: place.url }])
        if (index === 0) await place.send('PUT', '/api/gateway/trial', { cookie, body: { isOn: true } })
        const page = await contexts[index]!.newPage()
        await page.goto(`${place.url}/schedules/bench-hours`)
        return page
      }),
    )) as [Page, Page]
    const week = (page: Page) => page.getByRole('textbox', { name: 'Week' })
    const save = (page: Page) => page.getByRole('button', { name: 'Save', exact: true }).click()
    await week(ada).fill('Mo-Fr 09:00-17:00')
    await week(bo).fill('Mo-Fr 10:00-18:00')
    await save(ada)
    await expect(week(ada)).toHaveCount(0)
    await save(bo)
    await expect(bo.getByRole('alert').filter({ hasText: 'changed meanwhile' })).toBeVisible()
    await bo.getByRole('button', { name: 'Cancel' }).click()
    await bo
      .getByRole('link', { name: /^Bench hours/ })
      .first()
      .click()
    await expect(week(bo)).toHaveValue('Mo-Fr 09:00-17:00')
    await bo.getByRole('button', { name: 'Cancel' }).click()

    // Each adds something of their own at the same time, and both have both.
    await Promise.all(
      [ada, bo].map(async (page, index) => {
        await page.getByRole('button', { name: 'New schedule' }).click()
        await page.getByRole('textbox', { name: 'Name' }).fill(`Of person ${index}`)
        await week(page).fill('Mo 10:00-11:00')
        await save(page)
      }),
    )
    for (const page of [ada, bo])
      for (const name of ['Of person 0', 'Of person 1'])
        await expect(page.getByRole('link', { name: new RegExp(`^${name}`) }).first()).toBeVisible()
    await bo.getByRole('link', { name: 'Review changes' }).click()
    await bo.getByRole('button', { name: 'Apply changes' }).click()
    await expect(ada.getByText(/^Revision 2 is live since/)).toBeVisible()
  } finally {
    await Promise.allSettled([
      ...contexts.map((context) => context.close()),
      ...places.map((place) => place.stop()),
    ])
    await server.stop()
  }
})

function fail(error: Error): never {
  throw error
}
