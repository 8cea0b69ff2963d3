import { readFile } from 'node:fs/promises'
import { expect, openPage, test, TIME } from './support/place.ts'

test.use({ only: 'apps' })

test('an app is learned by using it once, shows what it catches and misses, goes out as a catalogue and comes back', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/sites`)
  await page.getByRole('button', { name: 'Learn an app' }).click()
  await page.getByLabel('The device to watch').click()
  await page.getByRole('option', { name: 'Lena’s tablet', exact: true }).click()
  await page.getByRole('button', { name: 'Start watching' }).click()
  await page.getByRole('button', { name: 'Quillpost', exact: true }).click()
  const fresh = page.getByRole('list', { name: 'Names it does not usually look up' })
  await expect(fresh.getByRole('listitem')).toHaveCount(3, { timeout: 20_000 })
  // It goes on while one looks elsewhere.
  await openPage(page, 'Rules')
  await openPage(page, 'Sites and apps')
  await page.getByRole('button', { name: 'Stop' }).click()
  await expect(page.getByRole('status').filter({ hasText: 'Lena’s tablet was watched for' })).toBeVisible()
  await expect(fresh.getByRole('listitem').filter({ hasText: 'quillpost.example' }).first()).toContainText(
    'no other device',
  )
  await fresh.getByLabel('quillpost-stamps.example').uncheck()
  await page.getByRole('button', { name: 'Create app from 2' }).click()
  const sites = page.getByLabel('Sites and addresses it uses, one per line')
  expect((await sites.inputValue()).split('\n').sort()).toEqual(['qp-letters.example', 'quillpost.example'])
  await page.getByLabel('Name', { exact: true }).fill('Quillpost')
  await page.getByLabel('Category').fill('chat')
  await expect(page.getByText(/Of \d+ names looked up in the last 7 days, it covers 3: /)).toBeVisible()
  await page
    .getByRole('listitem')
    .filter({ hasText: 'quillpost-stamps.example' })
    .getByRole('button', { name: 'Add it' })
    .click()
  await expect(sites).toHaveValue(/quillpost-stamps\.example/)
  await page.getByRole('button', { name: 'Save' }).click()
  const chat = page.getByRole('list', { name: 'chat apps' })
  await expect(chat.getByRole('link', { name: /^Quillpost/ })).toBeVisible()
  await page.getByRole('list', { name: 'video apps' }).getByRole('button', { name: 'What it covers' }).click()
  await expect(page.getByRole('list', { name: 'video apps' })).toContainText(
    'reelbrook-previews.example contains “reelbrook”',
  )

  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Export all apps' }).click(),
  ])
  const text = await readFile(await download.path(), 'utf8')
  const file = (name: string, content: string) =>
    page
      .getByLabel('Import apps')
      .setInputFiles({ name, mimeType: 'application/yaml', buffer: Buffer.from(content) })
  await file('apps.yaml', text)
  await expect(page.getByText('All apps in apps.yaml are already here.')).toBeVisible()
  await file('bad.yaml', text.replace('- quillpost.example', '- no such..name'))
  await expect(
    page.getByRole('alert').filter({ hasText: 'bad.yaml was not imported, and nothing has changed:' }),
  ).toContainText(/Line \d+: App 7, site \d "no such\.\.name"/)
  await file(
    'other.yaml',
    `${text}  - name: Marblerun\n    category: games\n    sites: [marblerun.example]\n  - name: Paperplane\n    category: games\n    services: [udp/4001]\n`.replace(
      'id: tilefall',
      'id: tilefall\n    note: from a friend',
    ),
  )
  const offer = page.getByRole('group', { name: 'What other.yaml holds' })
  await expect(offer.getByRole('listitem')).toHaveCount(3)
  await expect(offer).toContainText('replaces Tilefall')
  await offer.getByLabel('Marblerun').uncheck()
  await offer.getByRole('button', { name: 'Import 2' }).click()
  const games = page.getByRole('list', { name: 'games apps' })
  await expect(games.getByRole('link')).toHaveText([/^Anvilquest/, /^Tilefall/, /^Paperplane ?1 entry/])
  await page.getByRole('contentinfo').getByRole('button', { name: 'Undo' }).click()
  await expect(games.getByRole('link', { name: /^Paperplane/ })).toHaveCount(0)
})

test('the palette allows and blocks a device for a while, asks before it blocks the one in use, finds everything, and what was done stays told', async ({
  signedIn: page,
  place,
}) => {
  const say = async (text: string) => {
    await page.keyboard.press('Control+k')
    await page.getByRole('combobox', { name: 'Search or do' }).fill(text)
  }
  await page.goto(`${place.url}/?device=lena-tablet`)
  await expect(page.getByTestId('sentence')).toBeVisible()
  await say('block lenas tablet for 45 min')
  await page.keyboard.press('Enter')
  await expect(page.getByTestId('sentence')).toContainText('by an override')
  await page.waitForTimeout(1500)
  await page.getByRole('button', { name: 'End override now' }).click()
  await expect(page.getByTestId('sentence')).not.toContainText('override')
  await say('block office desktop 1h')
  await page.keyboard.press('Enter')
  await expect(page.getByText('You are using this device. Press Enter again to block it.')).toBeVisible()
  // It goes on asking while the clock goes on.
  await page.waitForTimeout(1500)
  await expect(page.getByText('You are using this device. Press Enter again to block it.')).toBeVisible()
  await page.keyboard.press('Escape')
  await expect(page.getByRole('combobox', { name: 'Search or do' })).toHaveCount(0)
  await say('big screen fri 22:00')
  await page.keyboard.press('Enter')
  await expect(page).toHaveURL(/device=big-screen/)
  await expect(page.getByRole('button', { name: /Fri \d+ \w+, 22:00/ })).toBeVisible()
  await say('quiet bench')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('link', { name: /Quiet bench/ })).toBeVisible()
  await say('no such thing')
  await expect(page.getByText('Nothing found for “no such thing”.')).toBeVisible()
  await page.keyboard.press('Escape')
  await expect(page.getByRole('combobox', { name: 'Search or do' })).toHaveCount(0)
  // A key that is pressed while the palette still closes is for that.
  await expect(async () => {
    await page.keyboard.press('?')
    await expect(page.getByRole('dialog', { name: 'Keys' })).toBeVisible({ timeout: 2000 })
  }).toPass()
  await page.keyboard.press('Escape')

  await page.goto(`${place.url}/history`)
  const history = page.getByRole('region', { name: 'Overrides, the latest first' }).getByRole('listitem')
  await expect(history.first()).toContainText(/Lena’s tablet: no longer blocked.*by demo/)
  await expect(history.nth(1)).toContainText(new RegExp(`Lena’s tablet blocked until ${TIME}.*by demo`))
  await expect(history.nth(2)).toContainText('Big screen blocked')
})
