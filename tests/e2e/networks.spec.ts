import { act, choose, expect, openPage, test, TIME } from './support/place.ts'

test.use({ only: 'networks' })

test('a guest pass waits for the next unknown device, which is then allowed; networks are found, named and looked at', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/devices`)
  await act(page, 'Guest Wi-Fi: actions', 'Guest pass…')
  const pass = page.getByRole('region', { name: 'Guest pass' })
  await expect(pass.getByRole('img')).toHaveCount(0)
  await pass.getByLabel('Wi-Fi name').fill('Bindery guests')
  await pass.getByLabel('Wi-Fi password').fill('glue-pot-7')
  await choose(pass, 'For how long', 'for 2 h')
  await pass.getByRole('button', { name: 'Allow the next device' }).click()
  await expect(pass.getByRole('img', { name: 'QR code to join Bindery guests' })).toBeVisible()
  await expect(
    pass.getByText(
      /^Waiting for the next unknown device on Guest Wi-Fi, for another \d+ min\. It is then allowed for 2 h\.$/,
    ),
  ).toBeVisible()

  // A network that the gateway sees and nobody named.
  const networks = page.getByRole('region', { name: 'Networks' })
  await expect(
    networks.getByText(
      /^br-lan \(192\.0\.2\.1\/25 and 2001:db8::1\/64\), found by the gateway, has no name yet\./,
    ),
  ).toBeVisible()
  await networks.getByRole('button', { name: 'Call it Main network' }).click()
  await expect(networks.locator('[data-network="main-network"]')).toContainText('br-lan. 2')
  await page.getByRole('link', { name: 'Review changes' }).click()
  await page.getByRole('button', { name: 'Apply changes' }).click()
  await expect(page.getByText(/Revision \d+ is live\./)).toBeVisible()

  // The courier's phone comes to the guest network within a minute of the start.
  await page.goto(`${place.url}/devices?guest=guest`)
  await expect(
    pass.getByText(new RegExp(`^parcel-phone has come and is allowed until ${TIME}\\.$`)),
  ).toBeVisible({
    timeout: 90_000,
  })

  await openPage(page, 'Board')
  await choose(page, 'Sort by', 'by network')
  await expect(page.locator('h2.section').first()).toHaveText('Main network')
  await expect(page.locator('h2.section').last()).toHaveText('Guest Wi-Fi')
  await expect(page.locator('[data-device="02:5e:10:00:00:33"]')).toContainText(/allowed until/)
  // The standing of a device in another network, at a time at which it differs.
  const lookAt = async (moment: string) => {
    await page.keyboard.press('m')
    await page.getByLabel('A moment to look at').fill(moment)
    await page.keyboard.press('Enter')
  }
  await lookAt('wed 19:30')
  await page.locator('[data-device="lena-phone"]').click()
  const panel = page.getByRole('complementary', { name: 'Lena’s phone' })
  await expect(panel.getByText('On Main network.')).toBeVisible()
  await expect(panel.getByText(/^On Guest Wi-Fi: /)).toBeVisible()
  await lookAt('now')

  // All of a network, for a time.
  await openPage(page, 'Devices')
  await act(page, 'Guest Wi-Fi: actions', 'Allow or block…')
  await networks.getByRole('button', { name: /^Block / }).click()
  await expect(page.getByText(/^Guest Wi-Fi is blocked for 30 min\.$/)).toBeVisible()
  await openPage(page, 'Board')
  // The guest's own pass is older than what was said of all.
  await expect(page.locator('[data-device="02:5e:10:00:00:33"]')).toContainText(/^parcel-phone ?blocked/)
  await page.goto(`${place.url}/devices?guest=guest`)
  await pass.getByRole('button', { name: 'End access' }).click()
  await expect(pass.getByText(/parcel-phone has come/)).toHaveCount(0)
})
