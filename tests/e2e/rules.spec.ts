import { readFile } from 'node:fs/promises'
import { act, ahead, choose, expect, openPage, test, TIME } from './support/place.ts'

test.use({ only: 'rules' })

test('only two sites for one group, Tuesday to Saturday 14:00 to 18:00: from a pasted list to the board', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/sites`)
  await page.getByRole('button', { name: 'New list' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Bench pages')
  await page
    .getByLabel(/^Sites, one per line/)
    .fill('https://www.paperwiki.example:443/glue?x=1\nglue.example\nfish.glue.example\nno such..name')
  await expect(
    page.getByText(
      'Line 1: https://www.paperwiki.example:443/glue?x=1 is read as paperwiki.example, the scheme, the leading www., the port, the path taken off.',
    ),
  ).toBeVisible()
  await expect(page.getByText('fish.glue.example is already covered by glue.example.')).toBeVisible()
  await expect(page.getByText(/Line 4: “such..name” is not a site/)).toBeVisible()
  await page.getByLabel(/^Sites, one per line/).fill('paperwiki.example\nglue.example')
  await expect(page.getByText('2 sites; each name also covers the names under it.')).toBeVisible()
  await page.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('link', { name: /^Bench pages 2 sites not used, so it blocks nothing/ }).click()
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'a policy zone (RPZ)' }).click(),
  ])
  expect(await readFile(await download.path(), 'utf8')).toContain(
    'paperwiki.example CNAME .\n*.paperwiki.example CNAME .\n',
  )
  await page.getByLabel('Look up a site or address').fill('https://glue.example/x')
  await expect(page.getByText('The list Bench pages contains it. No rule covers it by name.')).toBeVisible()

  await openPage(page, 'Schedules')
  await page.getByRole('button', { name: 'New schedule' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Afternoons')
  await page.getByRole('textbox', { name: 'Week' }).fill('Tu-Sa 14:00-18:00')
  await page.getByRole('button', { name: 'Save' }).click()

  await openPage(page, 'Rules')
  await page.getByRole('button', { name: 'New rule' }).click()
  await choose(page, 'Applies to', 'Flat upstairs')
  await choose(page, 'May or may not', 'may reach only')
  await choose(page, 'Covers', 'Bench pages')
  await choose(page, 'When', 'during')
  await choose(page, 'Schedules', 'Afternoons')
  await expect(page.getByRole('group', { name: 'The week it makes' })).toContainText(
    'It applies to 9 devices',
  )
  await expect(page.getByRole('group', { name: 'The week it makes' }).getByRole('img')).toHaveCount(4)
  await page.getByLabel('Name', { exact: true }).fill('Bench pages stay')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(
    page.getByRole('link', {
      name: /^17, 18 ?Bench pages stay and Bench pages stay: nothing else · .*Flat upstairs may reach only the list Bench pages during Afternoons\./,
    }),
  ).toBeVisible()
  await page.getByRole('link', { name: 'Review changes' }).click()
  await page.getByRole('button', { name: 'Apply changes' }).click()
  await expect(page.getByText('Revision 2 is live.')).toBeVisible()
  await openPage(page, 'Board')
  await page.keyboard.press('m')
  await page.getByLabel('A moment to look at').fill(ahead(1, '15:00'))
  await page.keyboard.press('Enter')
  await expect(page.locator('[data-device="tide-clock"]')).toContainText('listed sites only until 18:00')
})

test('a service is found by its name, closed towards an address block, copied and moved knowing what that changes', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/rules`)
  await page.getByRole('button', { name: 'New rule' }).click()
  await choose(page, 'Applies to', 'Old laptop')
  await choose(page, 'All or some of the internet', 'some sites and apps:')
  await page.getByLabel('Only to this address or block').fill('203.0.113.0/33')
  await expect(
    page.getByRole('alert').filter({ hasText: 'is not a valid IP address or block' }),
  ).toBeVisible()
  await page.getByLabel('Only to this address or block').fill('203.0.113.9/24')
  await page.getByLabel('A service').fill('ftp')
  await page
    .getByRole('list', { name: 'Services by that name' })
    .getByRole('button', { name: 'tcp/21', exact: true })
    .click()
  await page.getByLabel('Names that contain').fill('Transfer')
  await page.getByLabel('Name', { exact: true }).fill('No transfer')
  await page.getByRole('button', { name: 'Save' }).click()
  const rule = page.getByRole('link', {
    name: /No transfer · .*Old laptop may not reach names with “transfer” and tcp\/21@203\.0\.113\.0\/24 always\./,
  })
  await rule.first().click()
  await page.getByRole('button', { name: 'Duplicate' }).click()
  await expect(page.getByRole('link', { name: /No transfer \(copy\)/ })).toBeVisible()

  const lena = page.getByRole('link', { name: /Lena sleeps/ })
  const place0 = async () => Number((await lena.textContent())!.trim().split(/\D/)[0])
  const before = await place0()
  await lena.focus()
  for (let step = 0; step < 2; step++) await page.keyboard.press('Alt+ArrowUp')
  await expect(
    page.getByRole('status').filter({
      hasText: `Lena sleeps becomes rule ${before - 2}: Changes nobody’s access over the next 7 days.`,
    }),
  ).toBeVisible()
  await page.keyboard.press('Enter')
  await expect.poll(place0).toBe(before - 2)
  await page.getByRole('contentinfo').getByRole('button', { name: 'Undo' }).click()
  await expect.poll(place0).toBe(before)
  // Where nothing can be dragged, buttons do the same.
  await page.getByRole('button', { name: 'Move Lena sleeps' }).click()
  await page.getByRole('button', { name: 'Up', exact: true }).click()
  await page.getByRole('button', { name: 'Put it there' }).click()
  await expect.poll(place0).toBe(before - 1)
  await page.getByRole('contentinfo').getByRole('button', { name: 'Undo' }).click()
  await expect.poll(place0).toBe(before)
  // Those of somebody alone, by the numbers that they have among all.
  await choose(page, 'Whose rules', 'Lena')
  await expect(page.getByText(/^\d+ of \d+$/)).toBeVisible()
  await expect(page.getByRole('link', { name: /Old laptop may not reach/ })).toHaveCount(0)
  expect(await place0()).toBe(before)
})

test('what can be no site is refused where it stands, and Save with it', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/rules`)
  await page.getByRole('button', { name: 'New rule' }).click()
  await choose(page, 'Applies to', 'Everyone')
  await choose(page, 'All or some of the internet', 'some sites and apps:')
  await page.getByLabel('Name', { exact: true }).fill('No such site')
  const sites = page.getByRole('textbox', { name: 'Sites' })
  await sites.fill('reelbrook.example, not a site!!')
  await expect(page.getByRole('alert').filter({ hasText: '“site!!” is not a site' })).toBeVisible()
  await page.getByRole('button', { name: 'Save' }).click()
  expect(await sites.evaluate((field: HTMLInputElement) => field.validity.customError)).toBe(true)
  await expect(page.getByText('Everyone may not reach reelbrook.example always.')).toHaveCount(0)
  await sites.fill('reelbrook.example')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(page.getByText('Everyone may not reach reelbrook.example always.')).toBeVisible()
  await page.getByRole('contentinfo').getByRole('button', { name: 'Undo' }).click()
})

test('overrides: for as long as one likes, longer, for a group, asked for on the own machine, and ending while one looks', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/?device=hall-radio`)
  await choose(page, 'For how long', 'at or until a time…')
  await page.getByLabel('When, or until when').fill('yesterday')
  await expect(page.getByRole('button', { name: 'Block until …' })).toBeDisabled()
  await choose(page, 'For how long', 'for 2 h')
  await page.getByRole('button', { name: 'Block for 2 h' }).click()
  await expect(page.getByTestId('sentence')).toContainText('Blocked since')
  await act(page, 'Change its end', 'until I end it')
  await expect(page.getByTestId('sentence')).toContainText('no end planned, by an override')
  await act(page, 'Change its end', '15 min more')
  await expect(page.getByTestId('sentence')).toContainText(new RegExp(`until ${TIME}, by an override`))
  await page.getByRole('button', { name: 'End override now' }).click()
  await expect(page.getByTestId('sentence')).not.toContainText('override')

  await page.goto(`${place.url}/?device=office-desktop`)
  await page.getByRole('button', { name: 'Block for 30 min' }).click()
  await expect(page.getByText('You are using this device right now.')).toBeVisible()
  await page.getByRole('button', { name: 'Cancel' }).click()

  await page.goto(`${place.url}/devices`)
  await act(page, 'Machines: actions', 'Allow or block…')
  const groups = page.getByRole('region', { name: 'Groups' })
  await groups.getByRole('button', { name: 'Allow for 30 min' }).click()
  await expect(groups.getByRole('button', { name: 'End override now' })).toBeVisible()
  await expect(page.getByRole('link', { name: /^Glue pot thermostat allowed/ })).toBeVisible()

  const cookie = await place.signIn()
  const instant = (seconds: number) =>
    new Date(Math.floor(Date.now() / 1000 + seconds) * 1000).toISOString().replace('.000', '')
  await place.send('POST', '/api/overrides', {
    cookie,
    body: { effect: 'block', who: { devices: ['tide-clock'] }, from: instant(0), until: instant(6) },
  })
  await page.goto(`${place.url}/?device=tide-clock`)
  await expect(page.getByTestId('sentence')).toContainText('Blocked since')
  await expect(page.getByTestId('sentence')).not.toContainText('Blocked since', { timeout: 9000 })
})

test('a bad file is refused by line with nothing changed, a good one becomes the draft, and an earlier revision is live again', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/history`)
  await expect(page.getByRole('heading', { level: 1 })).toContainText('is live, applied on')
  const file = (name: string, text: string) => ({
    name,
    mimeType: 'application/yaml',
    buffer: Buffer.from(text),
  })
  const before = await (await place.send('GET', '/api/draft', { cookie: await place.signIn() })).text()
  await page
    .getByLabel('Choose file')
    .setInputFiles(file('bad.yaml', 'kairostat: 1\nplace:\n  name: B\n  timeZone: Mars/Olympus\n'))
  await expect(page.getByText('bad.yaml was not imported, and nothing has changed:')).toBeVisible()
  await expect(page.getByText(/Line 4: Settings, time zone "Mars\/Olympus" is not a time zone/)).toBeVisible()
  expect(await (await place.send('GET', '/api/draft', { cookie: await place.signIn() })).text()).toBe(before)

  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'YAML' }).click(),
  ])
  const text = await readFile(await download.path(), 'utf8')
  await page
    .getByLabel('Choose file')
    .setInputFiles(file('policy.yaml', text.replace('name: Tide clock', 'name: Moon clock')))
  await expect(page.getByText('policy.yaml is now the draft.').first()).toBeVisible()
  await page.getByRole('button', { expanded: false, name: /^\d+ / }).first().click()
  await page.getByRole('button', { name: 'Compare with draft' }).click()
  const comparison = page.getByRole('region', { name: 'Comparison' })
  await expect(comparison).toContainText('Device “Moon clock” name: Tide clock → Moon clock')

  const next = (await page.getByRole('listitem').filter({ hasText: 'Restore…' }).count()) + 2
  await page.getByRole('link', { name: 'Review changes' }).click()
  await page.getByLabel('Note (optional)').fill('The clock has a new name')
  await page.getByRole('button', { name: 'Apply changes' }).click()
  await expect(page.getByText(`Revision ${next} is live.`)).toBeVisible()
  await openPage(page, 'History')
  await page.getByRole('button', { name: /The clock has a new name/ }).click()
  await expect(comparison).toContainText('Moon clock')
  await page.getByRole('button', { name: 'Restore…' }).first().click()
  await page.getByRole('button', { name: 'Restore now' }).click()
  await expect(page.getByRole('heading', { level: 1 })).toContainText(`Revision ${next + 1} is live`)
  await expect(page.getByTestId('standing')).toContainText(`Revision ${next + 1} is live since`)
  await page
    .getByRole('button', { expanded: false, name: /Revision \d+ again/ })
    .first()
    .click()
  await page.getByRole('button', { name: 'Edit as draft' }).click()
  await openPage(page, 'Devices')
  await expect(page.getByRole('link', { name: /^Tide clock/ })).toBeVisible()
})

test('a rule that never decides is found, told why and moved; what is unused is set aside with a reason and taken up again', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/rules`)
  await page.getByRole('button', { name: 'New rule' }).click()
  await choose(page, 'Applies to', 'Heat meter')
  await choose(page, 'May or may not', 'may reach')
  await choose(page, 'All or some of the internet', 'some sites and apps:')
  await page.getByLabel('Sites').fill('meters.example')
  await page.getByLabel('Name', { exact: true }).fill('Meter may report')
  await page.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('button', { name: /warning/ }).click()
  const findings = page.getByRole('region', { name: 'Findings' })
  const finding = findings.getByRole('listitem').filter({
    hasText: '(Meter may report) never decides: rule 1 (Machines stay inside) above it always decides first.',
  })
  await finding.getByRole('button', { name: 'Move it above them' }).click()
  await page.getByRole('button', { name: 'Move it', exact: true }).click()
  await expect(
    page.getByRole('link', {
      name: /^1 ?Meter may report · .*Heat meter may reach meters\.example always\./,
    }),
  ).toBeVisible()
  await expect(finding).toHaveCount(0)
  const unused = findings.getByRole('listitem').filter({ hasText: 'The app Tunecask is used by no rule' })
  await unused.getByRole('button', { name: 'Dismiss…' }).click()
  await findings.getByLabel('Reason').fill('For the summer')
  await page.keyboard.press('Enter')
  await expect(unused).toHaveCount(0)
  await page.reload()
  await page.getByRole('button', { name: /warning/ }).click()
  await findings.getByRole('button', { name: 'Show', exact: true }).click()
  await expect(unused).toContainText('Dismissed by demo: “For the summer”')
  await unused.getByRole('button', { name: 'Show again' }).click()
  await expect(unused.getByRole('button', { name: 'Delete it' })).toBeVisible()
})

test('opening hours in two windows with one exempt device; what a word would catch is seen before, and a way around is closed', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/schedules?new`)
  await page.getByLabel('Name', { exact: true }).fill('Counter hours')
  await page.getByRole('textbox', { name: 'Week' }).fill('Mo-Fr 08:30-12:30,14:00-18:30')
  await page.getByRole('button', { name: 'Save' }).click()
  await page.goto(`${place.url}/rules?new`)
  await choose(page, 'Applies to', 'Office')
  await choose(page, 'Except', 'Marta’s phone')
  await choose(page, 'All or some of the internet', 'some sites and apps:')
  await page.getByLabel('Names that contain').fill('stream')
  await expect(page.getByRole('list', { name: 'What these words would have matched' })).toContainText(
    /“stream” would have matched 2 of \d+ names looked up in the last 7 days; they are in no list and no app: streamside-leather\.example and livestreams\.example\./,
  )
  await choose(page, 'All or some of the internet', 'the internet')
  await choose(page, 'When', 'outside')
  await choose(page, 'Schedules', 'Counter hours')
  await page.getByLabel('Name', { exact: true }).fill('Closed at noon')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(
    page.getByRole('link', {
      name: /Closed at noon · .*Office, except Marta’s phone, may not reach the internet outside Counter hours\./,
    }),
  ).toBeVisible()

  const around = page.getByRole('link', { name: /No video or games at work/ })
  const bypassed = page.getByText(/^Encrypted DNS and VPNs can bypass rules /)
  await expect(bypassed).toBeVisible()
  await page.getByRole('button', { name: /warning/ }).click()
  await expect(
    page
      .getByRole('listitem')
      .filter({ hasText: 'You are using Office desktop right now, and it is blocked at times. ' })
      .getByRole('button', { name: 'Never block it' }),
  ).toBeVisible()
  await page.getByRole('button', { name: 'Block these services in the same rules' }).click()
  await expect(around).toContainText('tcp/853, udp/853')
  await expect(bypassed).toHaveCount(0)

  await page.getByRole('link', { name: 'Review changes' }).click()
  await expect(page.getByText(/^(Within the next hour |Nobody’s access changes)/)).toBeVisible()
  await page.getByRole('button', { name: 'Apply changes' }).click()
  await expect(page.getByText(/Revision \d+ is live\./)).toBeVisible()
  for (const [time, laptop, phone] of [
    [ahead(3, '13:00'), 'blocked until 14:00', 'until'],
    [ahead(3, '15:00'), 'until 18:30', 'until'],
  ] as const) {
    await openPage(page, 'Board')
    await page.keyboard.press('m')
    await page.getByLabel('A moment to look at').fill(time)
    await page.keyboard.press('Enter')
    await expect(page.locator('[data-device="ledger-laptop"]')).toContainText(laptop)
    await expect(page.locator('[data-device="marta-phone"]')).not.toContainText(/(?<!partly )blocked/)
    await expect(page.locator('[data-device="marta-phone"]')).toContainText(phone)
  }
})

test('a schedule made inside a rule is chosen once the draft has it, and the rule is drawn with it', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/rules`)
  const errors: string[] = []
  page.on('console', (message) => message.type() === 'error' && errors.push(message.text()))
  await page.getByRole('button', { name: 'New rule' }).click()
  await choose(page, 'Applies to', 'Apprentices')
  await choose(page, 'When', 'during')
  await page.getByLabel('Schedules', { exact: true }).click()
  await page.getByRole('button', { name: 'New schedule' }).click()
  const dialog = page.getByRole('dialog', { name: 'New schedule' })
  await dialog.getByLabel('Name', { exact: true }).fill('Evenings')
  await dialog.getByLabel('Week', { exact: true }).fill('every day 7pm-9pm')
  await dialog.getByRole('button', { name: 'Save' }).click()
  await expect(dialog).toHaveCount(0)
  await expect(page.getByLabel('Schedules', { exact: true })).toHaveText('Evenings')
  await expect(page.getByText('then', { exact: true }).first()).toBeVisible()
  expect(errors).toEqual([])
  await expect(page.getByText('Something on this page went wrong')).toHaveCount(0)
})
