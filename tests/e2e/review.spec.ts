import { counting } from './support/counting.ts'
import { expect, openPage, test } from './support/place.ts'

test.use({ only: 'review' })

test('an earlier bedtime alone goes live while three other changes wait, in nine presses; it is undone in one', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(place.url)
  await expect(page.getByText('3 changes not live')).toBeVisible()
  const presses = await counting(page)
  await openPage(page, 'Schedules')
  await page.getByRole('link', { name: /^Night/ }).click()
  await page.getByRole('textbox', { name: 'Week' }).fill('Mo-Su 21:30-07:00')
  await page.getByRole('button', { name: 'Save', exact: true }).click()
  await page.getByRole('link', { name: 'Review changes' }).click()
  const changes = page.getByRole('list', { name: 'Changes' })
  await expect(changes.getByRole('listitem')).toHaveCount(4)
  for (const name of ['Tomas’s drawing tablet', 'School nights', 'Quiet bench'])
    await changes
      .getByRole('listitem')
      .filter({ hasText: name })
      .getByRole('button', { name: 'Leave for later' })
      .click()
  await expect(page.getByRole('heading', { level: 1 })).toHaveText('1 change not live, 3 for later')
  await page.getByRole('button', { name: 'Apply changes' }).click()
  await expect(page.getByText('Revision 2 is live.')).toBeVisible()
  expect(await presses()).toBeLessThanOrEqual(12)
  // The others still wait.
  await expect(changes.getByRole('listitem')).toHaveCount(3)
  await page.getByRole('button', { name: 'Back to revision 1' }).click()
  await expect(page.getByText('Revision 3 is live.')).toBeVisible()
  await expect(changes.getByRole('listitem')).toHaveCount(4)

  const rule = changes.getByRole('listitem').filter({ hasText: 'Quiet bench' })
  await rule.getByRole('button', { name: 'Discard' }).click()
  await expect(rule).toHaveCount(0)
  await expect(
    page.getByRole('contentinfo').getByRole('button', { name: 'Undo: rule Quiet bench' }),
  ).toBeVisible()
  await page.getByRole('button', { name: 'Undo', exact: true }).last().click()
  await expect(rule).toHaveCount(1)
})

test('what depends on a change that is left for later stays with it, and says so', async ({
  signedIn: page,
  place,
}) => {
  const cookie = await place.signIn()
  const made = await place.send('POST', '/api/groups', { cookie, body: { name: 'Visitors', members: [] } })
  const { id } = (await made.json()) as { id: string }
  const rule = {
    name: 'Visitors rest',
    effect: 'block',
    who: { groups: [id] },
    what: { internet: true },
    when: { always: true },
  }
  expect((await place.send('POST', '/api/rules', { cookie, body: rule })).status).toBe(200)
  await page.goto(`${place.url}/review`)
  const changes = page.getByRole('list', { name: 'Changes' })
  const group = changes.getByRole('listitem').filter({ hasText: 'Group “Visitors”' })
  const names = changes.getByRole('listitem').filter({ hasText: 'Visitors rest' })
  await group.getByRole('button', { name: 'Leave for later' }).click()
  await expect(names).toContainText('it goes with another that you leave for later')
  await expect(names.getByRole('button', { name: 'Leave for later' })).toHaveCount(0)
  await group.getByRole('button', { name: 'Discard' }).click()
  await expect(names).toHaveCount(0)
})
