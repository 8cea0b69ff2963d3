import { act, choose, expect, openPage, test } from './support/place.ts'

test.use({ only: 'persons' })

test('on a phone people come first: ten minutes more are one press, and are taken back by another', async ({
  signedIn: page,
  place,
}) => {
  await page.setViewportSize({ width: 390, height: 844 })
  await page.goto(place.url)
  const people = page.getByRole('region', { name: 'People' })
  const card = people.getByRole('listitem').filter({ hasText: 'Lena' }).first()
  await expect(card).toBeInViewport({ ratio: 1 })
  const running = page.getByRole('region', { name: 'Overrides' })
  const acts = card.getByRole('group', { name: 'Acts for Lena' }).getByRole('button')
  // Whoever is allowed without an end is blocked for a while; everybody else gets time.
  const first = await acts.first().innerText()
  await acts.first().click()
  const isMore = first === '+10 min'
  await expect(running).toContainText(isMore ? /Lena\s*allowed until/ : /Lena\s*blocked until/)
  await expect(card).toContainText(isMore ? 'Allowed until' : 'Blocked until')
  await page.getByRole('button', { name: 'Undo', exact: true }).last().click()
  await expect(running).not.toContainText('Lena')
  // What runs is ended where it stands, and begun again by the same way back.
  await running.getByRole('button', { name: 'End the override for Big screen' }).click()
  await expect(running).not.toContainText('Big screen')
})

test('on a phone the big screen is off at dinner: planned in four presses, dropped in one; a saved act is one press', async ({
  signedIn: page,
  place,
}) => {
  await page.setViewportSize({ width: 390, height: 844 })
  await page.goto(place.url)
  // A list of the browser's own is opened and chosen from.
  await page.locator('[data-device="tide-clock"]').click()
  const panel = page.getByRole('complementary', { name: 'Tide clock' })
  await choose(panel, 'For how long', 'at or until a time…')
  await panel.getByLabel('When, or until when').fill('tomorrow 18:30-19:30')
  await panel.getByRole('button', { name: /^Block from .*18:30 until .*19:30$/ }).click()
  const planned = panel.getByRole('region', { name: 'Overrides' })
  await expect(planned).toContainText(/Tide clock\s*blocked from .*18:30 until .*19:30/)
  await planned.getByRole('button', { name: 'Drop the override planned for Tide clock' }).click()
  await expect(planned).toHaveCount(0)
  await panel.getByRole('button', { name: 'Close' }).click()

  const saved = page.getByRole('region', { name: 'Saved acts' })
  await saved.getByRole('button', { name: 'Save an act' }).click()
  await saved.getByLabel('Name').fill('Clock rests')
  await choose(saved, 'Whom', 'Tide clock')
  await choose(saved, 'For how long', 'for 10 min')
  await saved.getByRole('button', { name: 'Save', exact: true }).click()
  await saved.getByRole('button', { name: 'Clock rests', exact: true }).click()
  const running = page.getByRole('region', { name: 'Overrides' })
  await expect(running).toContainText(/Tide clock\s*blocked until/)
  await running.getByRole('button', { name: 'End the override for Tide clock' }).click()
  await expect(running).not.toContainText('Tide clock')
  await saved.getByRole('button', { name: 'Save an act' }).click()
  await saved.getByRole('button', { name: 'Delete the act Clock rests' }).click()
  await expect(saved.getByRole('button', { name: 'Clock rests', exact: true })).toHaveCount(0)
})

test('a person is made of devices by their names, in one press, and has one band on the board', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/devices`)
  const people = page.getByRole('region', { name: 'People' })
  await act(page, 'Lena: actions', 'This is not a person')
  const question = people.getByText('Lena’s tablet, Lena’s phone and Lena’s reader: are these Lena’s?')
  await question.getByRole('button', { name: 'Yes, Lena’s' }).click()
  await expect(question).toHaveCount(0)
  const lena = people.getByRole('listitem').filter({ hasText: 'Lena’s reader' })
  await expect(lena).toContainText('Lena’s tablet')

  // What becomes somebody's is nobody else's any more.
  await page.getByLabel('Select Lena’s reader').check()
  const chosen = page.getByRole('group', { name: 'Actions for the selected devices' })
  await chosen.getByRole('button', { name: 'Belongs to' }).click()
  await page.getByRole('menuitem', { name: 'Ines', exact: true }).click()
  await expect(people.getByRole('listitem').filter({ hasText: 'Ines' })).toContainText('Lena’s reader')
  await expect(lena).not.toContainText('Lena’s tablet')
  await openPage(page, 'Board')
  await expect(page.getByRole('button', { name: 'Ines', exact: true })).toBeVisible()
})
