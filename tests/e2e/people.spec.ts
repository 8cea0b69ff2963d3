import { PASSWORD, startPlace } from '../support/place.ts'
import { choose, expect, test } from './support/place.ts'

test('an administrator invites an editor by a link, who joins, changes rules and nothing else, and is let go', async ({
  page,
  browser,
}) => {
  const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
  const elsewhere = await browser.newContext({ userAgent: 'Mozilla/5.0 (Linux; Android 14) Mobile' })
  try {
    const [name, value] = (await place.signIn()).split('=') as [string, string]
    await page.context().addCookies([{ name, value, url: place.url }])
    await page.goto(`${place.url}/settings/people`)
    const people = page.getByRole('region', { name: 'People' })
    await expect(people.getByText('you', { exact: true })).toBeVisible()
    // The only administrator stays one.
    await people.getByRole('button', { name: 'Role of demo' }).click()
    await choose(people, 'Role of demo', 'Editor')
    await people.getByRole('button', { name: 'Save' }).click()
    await expect(people.getByRole('alert')).toHaveText(/^Nobody would be left who can manage Kairostat\./)
    await people.getByRole('button', { name: 'Create a link' }).click()
    const link = await people.getByLabel('Link of the invitation', { exact: true }).innerText()
    await expect(people.getByText(/^Editor, by demo, until /)).toBeVisible()

    const theirs = await elsewhere.newPage()
    await theirs.goto(link)
    await expect(theirs.getByRole('heading', { name: 'Join Saltmarsh Bindery' })).toBeVisible()
    await theirs.getByLabel('Name').fill('Marta')
    await theirs.getByLabel('Password').fill('long enough it is')
    await theirs.getByRole('button', { name: 'Join' }).click()
    await expect(theirs.getByRole('link', { name: 'Rules' })).toBeVisible({ timeout: 30_000 })
    await theirs.goto(`${place.url}/settings/account`)
    const account = theirs.getByRole('region', { name: 'Account and backup' })
    await expect(account.getByText(/^Android at 127\.0\.0\.1/)).toBeVisible()
    await expect(account.getByText('this one')).toBeVisible()
    for (const hidden of ['Download a backup', 'People', 'Create token', 'Connect a gateway'])
      await expect(theirs.getByRole('main').getByText(hidden, { exact: true })).toHaveCount(0)
    await theirs.getByRole('link', { name: 'Place', exact: true }).click()
    await theirs.getByRole('textbox', { name: 'Name' }).fill('The bindery')
    await theirs.getByRole('main').getByRole('button', { name: 'Save' }).click()
    await expect(theirs.getByText(/^\d+ changes not live/)).toBeVisible()
    // The link works once.
    await theirs.goto(link)
    await theirs.reload()
    await expect(theirs.getByText(/^This invitation was used or withdrawn, or is over\./)).toBeVisible()

    await page.reload()
    await expect(people.getByText(/^last used /)).toBeVisible()
    await people.getByRole('button', { name: 'Delete Marta' }).click()
    await people.getByRole('button', { name: 'Delete', exact: true }).click()
    await expect(people.getByText('Marta')).toHaveCount(0)
    await theirs.goto(place.url)
    await expect(theirs.getByRole('heading', { name: 'Sign in' })).toBeVisible()
  } finally {
    await elsewhere.close()
    await place.stop()
  }
})
