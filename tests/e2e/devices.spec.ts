import { readFile } from 'node:fs/promises'
import { DEVICE_KINDS } from '../../core/policy/types.ts'
import type { StepsAnswer } from '../../protocol/answers.ts'
import type { Policy } from '../../core/policy/types.ts'
import { counting } from './support/counting.ts'
import { act, choose, expect, openPage, test } from './support/place.ts'

test('a device is edited, and taken out and put back', async ({ signedIn: page, place }) => {
  await page.goto(`${place.url}/devices`)
  await page.getByLabel('Search devices').fill('025e.1000.0018')
  await expect(page.getByText('1 of')).toBeVisible()
  await page.getByRole('link', { name: /^Kitchen speaker/ }).click()
  const editor = page.locator('form.editor')
  await editor.getByLabel('Name', { exact: true }).fill('Attic speaker')
  await editor.getByRole('checkbox', { name: 'Machines' }).check()
  await editor.getByRole('button', { name: 'Save' }).click()
  const row = page.getByRole('link', { name: /^Attic speaker/ })
  await expect(row).toContainText('Machines')
  await row.click()
  await editor.getByRole('button', { name: 'Delete', exact: true }).click()
  await expect(row).toHaveCount(0)
  await page
    .getByRole('region', { name: /Notifications/ })
    .getByRole('button', { name: 'Undo' })
    .click()
  await expect(row).toContainText('Machines')
  await page.getByLabel('Search devices').fill('nothing like this')
  await expect(page.getByText('No device matches')).toBeVisible()
})

test('a group is made, filled by dragging, renamed, and refuses to go while a rule names it', async ({
  signedIn: page,
  place,
}) => {
  // Tall enough for a device and the groups to be in sight at once.
  await page.setViewportSize({ width: 1280, height: 2300 })
  await page.goto(`${place.url}/devices`)
  await page.getByLabel('Name of a new group').fill('Loans')
  await page.getByRole('region', { name: 'Groups' }).getByRole('button', { name: 'Add', exact: true }).click()
  const groups = page.getByRole('region', { name: 'Groups' })
  const loans = groups.getByRole('listitem').filter({ hasText: 'Loans' })
  await expect(loans).toContainText('No devices yet')
  await page.getByRole('link', { name: /^Tide clock/ }).dragTo(loans)
  await expect(loans).toContainText('Tide clock')
  await loans.getByRole('button', { name: 'Remove Tide clock from Loans' }).click()
  await expect(loans).toContainText('No devices yet')
  await act(page, 'Loans: actions', 'Rename')
  await page.getByLabel('Name of the group').fill('Lent out')
  await page.keyboard.press('Enter')
  await act(page, 'Lent out: actions', 'Delete')
  await expect(groups.getByText('Lent out')).toHaveCount(0)
  await act(page, 'Machines: actions', 'Delete')
  await expect(groups.getByRole('alert')).toContainText('Used by “Machines stay inside”.')
  await choose(groups, 'Replacement', 'Office')
  await groups.getByRole('button', { name: 'Replace and delete' }).click()
  await expect(groups.getByText('Machines', { exact: true })).toHaveCount(0)
  await openPage(page, 'Rules')
  await expect(page.getByRole('link', { name: /Office may not reach the internet always/ })).toBeVisible()
  await page.getByRole('contentinfo').getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByRole('link', { name: /Machines may not reach the internet always/ })).toBeVisible()
})

test('pasted addresses show what they would do, and are taken in', async ({ signedIn: page, place }) => {
  await page.goto(`${place.url}/devices`)
  await page.getByRole('button', { name: 'Import addresses' }).click()
  await page.getByLabel(/^Paste the output/).fill(`1795428000 02:5e:10:00:00:05 192.0.2.15 card-terminal *
1795428000 02:5e:40:00:00:01 192.0.2.90 loan-tablet *
1795428000 02:5e:40:00:00:02 192.0.2.91 loan-tablet *
cut off
0 02:5e:40:00:00:03 192.0.2.92 * *`)
  await expect(
    page.getByText('Read as leases of dnsmasq: 2 new, 1 already known, and 1 line not read.'),
  ).toBeVisible()
  await expect(page.getByText('Line 4: A lease has five columns')).toBeVisible()
  await page.getByRole('button', { name: 'Import 1' }).click()
  await expect(
    page.getByRole('link', { name: /Loan tablet .* 02:5e:40:00:00:01, 02:5e:40:00:00:02/ }),
  ).toBeVisible()

  await page.getByRole('button', { name: 'Import addresses' }).click()
  await page
    .getByLabel(/^Paste the output/)
    .fill(
      '2: eth0: <UP>\n    link/ether 02:5e:10:00:00:10\n3: wlan0: <UP>\n    link/ether 02:5e:40:00:00:09\n',
    )
  await expect(page.getByRole('listitem').getByText('another adapter of Shelf store')).toBeVisible()
  await page.getByRole('button', { name: 'Import 1' }).click()
  await expect(page.getByRole('link', { name: /Shelf store .* 02:5e:40:00:00:09 Wi-Fi/ })).toBeVisible()

  await page.getByRole('button', { name: 'Import addresses' }).click()
  const leases = Array.from(
    { length: 60_000 },
    (_, index) =>
      `1795428000 02:5e:7${(index >> 16) & 15}:00:${((index >> 8) & 255).toString(16).padStart(2, '0')}:${(index & 255).toString(16).padStart(2, '0')} 192.0.2.9 host-${index} *`,
  )
  await page
    .getByLabel('Choose a file')
    .setInputFiles({ name: 'leases', mimeType: 'text/plain', buffer: Buffer.from(leases.join('\n')) })
  await expect(page.getByText('Read as leases of dnsmasq: 60000 new.')).toBeVisible()
  await expect(page.getByText('and 59800 more.')).toBeVisible()
  await page.getByRole('main').getByRole('button', { name: 'Close' }).click()

  const card = page.locator('[data-mac="02:5e:10:00:00:32"]')
  await expect(card).toContainText('Probably the same device as Ledger laptop')
  await card.getByRole('button', { name: 'Add', exact: true }).click()
  await expect(page.getByRole('link', { name: /Ledger laptop .* 02:5e:10:00:00:32 cable/ })).toBeVisible()
})

test('newcomers arrive by themselves, and one can be left alone and asked for again', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/devices`)
  const newcomers = page.getByRole('list', { name: 'New on the network' })
  // It comes to the yard some forty seconds after the simulated network began.
  await expect(newcomers.getByText('parcel-phone')).toBeVisible({ timeout: 60_000 })
  const card = newcomers.getByRole('listitem').filter({ hasText: 'lena-laptop' })
  await card.getByRole('button', { name: 'Ignore' }).click()
  await expect(card).toHaveCount(0)
  await page.reload()
  await expect(page.getByText('1 ignored device, still unknown to the rules.')).toBeVisible()
  await expect(card).toHaveCount(0)
  await page.getByRole('button', { name: 'Show', exact: true }).click()
  await card.getByRole('button', { name: 'Show again' }).click()
  await expect(page.getByText('ignored device')).toHaveCount(0)
  await expect(card.getByRole('button', { name: 'Ignore' })).toBeVisible()
})

test('on a phone a new device is Lena’s with the rules of her tablet in six presses, a visitor stays until tonight in two', async ({
  signedIn: page,
  place,
}) => {
  await page.setViewportSize({ width: 390, height: 844 })
  await page.goto(place.url)
  const presses = await counting(page)
  await page
    .getByRole('navigation', { name: 'Pages at the thumb' })
    .getByRole('link', { name: 'Devices' })
    .click()
  const cards = page.getByRole('list', { name: 'New on the network' }).getByRole('listitem')
  await cards
    .filter({ hasText: '02:5e:10:00:00:31' })
    .getByRole('button', { name: 'Guest until tonight' })
    .click()
  await expect(page.getByText(/is allowed until midnight\./).last()).toBeVisible()
  expect(await presses()).toBe(2)

  const card = cards.filter({ hasText: 'lena-laptop' })
  await card.getByLabel('Name', { exact: true }).fill('Lena’s laptop')
  await choose(card, 'Belongs to', 'Lena')
  await choose(card, 'Group, or same rules as', 'Same rules as Lena’s tablet')
  await expect(card.getByRole('status')).toContainText('Lena sleeps')
  await card.getByRole('button', { name: 'Save', exact: true }).click()
  await expect(card).toHaveCount(0)
  expect((await presses()) - 2 + 1).toBeLessThanOrEqual(6)
  const draft = (await (await page.request.get(`${place.url}/api/draft`)).json()) as Policy
  const { id } = draft.devices.find(({ name }) => name === 'Lena’s laptop')!
  const groups = draft.groups.filter(({ members }) => members.includes(id))
  expect(groups.map(({ name }) => name)).toContain('Lena')
  // The editor of the device stands over the phone's bar with Undo.
  const { undo } = (await (await page.request.get(`${place.url}/api/draft/steps`)).json()) as StepsAnswer
  const cookie = await place.signIn()
  await place.send('POST', '/api/draft/steps', { cookie, body: { to: 'undo', step: undo } })
})

test('many devices are chosen, put into a new group, shielded and taken out, and each act is undone', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/devices`)
  await choose(page, 'Sort by', 'group')
  const list = page.getByRole('list', { name: 'Devices' })
  await expect(list.getByRole('listitem').first()).toContainText('Apprentices')
  await choose(page, 'Sort by', 'name')
  await page.getByLabel('Select Big screen').check()
  await page.getByLabel('Select Catalogue kiosk').click({ modifiers: ['Shift'] })
  const acts = page.getByRole('group', { name: 'Actions for the selected devices' })
  await expect(acts).toContainText('3 selected')
  await act(page, 'Add to group', 'New group…')
  await acts.getByLabel('Name of the new group').fill('Touched')
  await page.keyboard.press('Enter')
  const touched = page
    .getByRole('region', { name: 'Groups' })
    .getByRole('listitem')
    .filter({ hasText: 'Touched' })
  await expect(touched).toContainText('Card terminal')
  await acts.getByRole('button', { name: 'Never block', exact: true }).click()
  await expect(page.getByRole('link', { name: /^Big screen/ })).toBeVisible()
  await expect(page.getByText('3 devices are never blocked from now on.').first()).toBeVisible()
  await acts.getByRole('button', { name: 'Delete', exact: true }).click()
  await expect(page.getByRole('link', { name: /^Catalogue kiosk/ })).toHaveCount(0)
  const undo = page.getByRole('contentinfo').getByRole('button', { name: 'Undo' })
  await undo.click()
  await expect(page.getByRole('link', { name: /^Catalogue kiosk/ }).first()).toBeVisible()
  await page.locator('body').press('Control+z')
  await page.locator('body').press('Control+z')
  await expect(touched).toHaveCount(0)
  await page.locator('body').press('Control+Shift+z')
  await expect(touched).toContainText('Card terminal')
  await page.locator('body').press('Control+z')
  await expect(touched).toHaveCount(0)
})

test('the list goes out as CSV and comes back: what is changed, new, known and in conflict is told before it counts', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/devices`)
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Export CSV' }).click(),
  ])
  const text = await readFile(await download.path(), 'utf8')
  expect(text).toContain(
    'card-terminal,Card terminal,terminal,02:5e:10:00:00:05 ethernet,Front of house,yes,Payments must never stop.\r\n',
  )
  const changed =
    text.replace('Tide clock', '\'=HYPERLINK("x")').replace('Card terminal,terminal', 'Card terminal,other') +
    'new,Spare tablet,tablet,02:5e:41:00:00:01 wifi,Loans; Machines,no,\r\nclash,Copy,other,02:5e:10:00:00:05,,no,\r\nodd,Odd,toaster,,,no,\r\n'
  await page.getByRole('button', { name: 'Import addresses' }).click()
  await page.evaluate((csv) => {
    const transfer = new DataTransfer()
    transfer.items.add(new File([csv], 'devices.csv'))
    document
      .querySelector('#intake-text')!
      .closest('form')!
      .dispatchEvent(new DragEvent('drop', { dataTransfer: transfer, bubbles: true, cancelable: true }))
  }, changed)
  await expect(
    page.getByText(
      /^Read as a list of devices: 1 new, 2 changed, \d+ already known, 1 in conflict, and 1 line not read\.$/,
    ),
  ).toBeVisible()
  await expect(page.getByText('Card terminal changes its kind')).toBeVisible()
  await expect(
    page.getByText(/Line \d+: The kind is “toaster”|Line \d+: The kind is "toaster"/),
  ).toBeVisible()
  await page.getByRole('button', { name: 'Import 3' }).click()
  await expect(page.getByRole('link', { name: /^=HYPERLINK\("x"\)/ })).toBeVisible()
  await expect(page.getByRole('link', { name: /Spare tablet .*Machines, Loans/ })).toBeVisible()
  await page.getByRole('contentinfo').getByRole('button', { name: 'Undo' }).click()
  await expect(page.getByRole('link', { name: /^Tide clock/ })).toBeVisible()
})

test('findings are mended where they stand, addresses are typed in any notation, and the machine in use is known', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/devices`)
  const editor = page.locator('form.editor')
  await page.getByRole('button', { name: /devices? (has|have) warnings/ }).click()
  await page
    .getByRole('link', { name: /Tomas’s phone/ })
    .first()
    .click()
  await expect(editor).toContainText('were both seen as “tomas”')
  await editor.getByRole('button', { name: 'Merge them into one device' }).click()
  await expect(
    page.getByRole('link', { name: /Tomas’s phone .* 02:5e:10:00:00:12 Wi-Fi, 02:5e:10:00:00:13 Wi-Fi/ }),
  ).toBeVisible()
  await expect(page.getByRole('link', { name: /drawing tablet/ })).toHaveCount(0)

  await page.getByRole('link', { name: /Old laptop .*its Wi-Fi address is missing/ }).click()
  const address = editor.getByLabel('Another MAC address')
  await address.fill('025e.4200')
  await expect(editor.getByRole('alert')).toContainText('“025e.4200” is not a valid MAC address')
  await address.fill('025E.4200.0001')
  await address.press('Enter')
  await choose(editor, 'How 02:5e:42:00:00:01 reaches the network', 'Wi-Fi')
  await editor.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByRole('link', { name: /Old laptop .* 02:5e:42:00:00:01 Wi-Fi/ })).toBeVisible()
  await expect(page.getByText('its Wi-Fi address is missing')).toHaveCount(0)

  const own = page.getByRole('link', { name: /Office desktop ?this device/ })
  await own.click()
  await expect(editor.getByText('and for the device you are using right now')).toBeVisible()
  await openPage(page, 'Schedules')
  await page.getByRole('link', { name: /^Night / }).click()
  await page.getByRole('textbox', { name: 'Week' }).fill('24/7')
  await page.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('link', { name: 'Review changes' }).click()
  await expect(
    page.getByText('You are using Office desktop right now, and these changes block its internet'),
  ).toBeVisible()
})

test('each kind of device has a drawing of its own', async ({ signedIn: page, place }) => {
  const edits = DEVICE_KINDS.map((kind) => ({
    id: null,
    device: { name: `A ${kind}`, kind, adapters: [], shielded: false, note: '' },
    groups: null,
    mark: null,
  }))
  expect(
    (
      await place.send('POST', '/api/devices/many', {
        cookie: await place.signIn(),
        body: { edits, takeOut: [] },
      })
    ).status,
  ).toBe(200)
  await page.goto(`${place.url}/devices`)
  // Tall enough for every row to be in sight.
  await page.setViewportSize({ width: 1280, height: 3200 })
  const drawings = new Set<string>()
  for (const kind of DEVICE_KINDS) {
    const row = page.getByRole('listitem').filter({ hasText: `A ${kind}` })
    await row.scrollIntoViewIfNeeded()
    const picture = (await row.locator('svg.kind').screenshot()).toString('base64')
    // The colours of its pixels: where only one is left, nothing is drawn.
    const colours = await page.evaluate(async (base64) => {
      const bitmap = await createImageBitmap(
        new Blob([Uint8Array.from(atob(base64), (sign) => sign.charCodeAt(0))], { type: 'image/png' }),
      )
      const canvas = new OffscreenCanvas(bitmap.width, bitmap.height).getContext('2d')!
      canvas.drawImage(bitmap, 0, 0)
      return new Set(new Uint32Array(canvas.getImageData(0, 0, bitmap.width, bitmap.height).data.buffer)).size
    }, picture)
    expect([kind, colours > 3]).toEqual([kind, true])
    drawings.add(picture)
  }
  expect(drawings.size).toBe(DEVICE_KINDS.length)
  await page.keyboard.press('Control+z')
})
