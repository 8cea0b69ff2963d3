import { expect, test } from './place.ts'

test('a week is painted with mouse and keyboard, typed, copied, turned round and undone, and the text follows', async ({ signedIn: page, place }) => {
  await page.goto(`${place.url}/hours`)
  await page.getByRole('button', { name: 'New schedule' }).click()
  const text = page.getByRole('textbox', { name: 'Week' })
  await page.getByLabel('Name', { exact: true }).fill('Painted')
  await text.fill('off')
  const picture = page.getByRole('group', { name: /The week as a picture/ })
  const { x, y, width } = (await picture.boundingBox())!
  // The lanes of WeekPainter.vue: 40 pixels before them, 18 above, 28 each.
  const spot = (day: number, hour: number): [number, number] => [x + 40 + hour / 24 * (width - 42), y + 18 + day * 28 + 14]
  const stroke = async (from: [number, number], to: [number, number]) => {
    await page.mouse.move(...from)
    await page.mouse.down()
    await page.mouse.move((from[0] + to[0]) / 2, (from[1] + to[1]) / 2)
    await page.mouse.move(...to)
    await page.mouse.up()
  }

  await stroke(spot(0, 21), spot(1, 7))
  await expect(text).toHaveValue('Mo 21:00-07:00')
  await stroke(spot(2, 9), spot(2, 12.5))
  await expect(text).toHaveValue('Mo 21:00-07:00; We 09:00-12:30')
  await stroke(spot(2, 10), spot(4, 11))
  await expect(text).toHaveValue('Mo 21:00-07:00; Fr 10:00-13:30')
  await stroke(spot(4, 13.5), spot(4, 15.25))
  await expect(text).toHaveValue('Mo 21:00-07:00; Fr 10:00-15:15')

  const window = picture.getByRole('button', { name: /^Fr 10:00/ })
  await window.focus()
  await page.keyboard.press('ArrowRight')
  await page.keyboard.press('Alt+Shift+ArrowLeft')
  await expect(text).toHaveValue('Mo 21:00-07:00; Fr 10:15-15:29')
  await page.keyboard.press('Control+z')
  await expect(text).toHaveValue('Mo 21:00-07:00; Fr 10:15-15:30')
  await page.keyboard.press('Delete')
  await expect(text).toHaveValue('Mo 21:00-07:00')

  await page.getByLabel('On which days').selectOption('the weekend')
  await page.getByLabel('From').fill('9.30 pm')
  await page.getByLabel('Until, or for how long').fill('10h')
  await page.getByRole('button', { name: 'add the window' }).click()
  await expect(text).toHaveValue('Mo 21:00-07:00; Sa,Su 21:30-07:30')
  await page.getByLabel('Days to copy to').selectOption('weekdays')
  await page.getByRole('button', { name: 'copy', exact: true }).click()
  await expect(text).toHaveValue('Mo-Fr 21:00-07:00; Sa,Su 21:30-07:30')
  await page.getByRole('button', { name: 'turn round' }).click()
  await expect(text).toHaveValue('Mo 07:30-21:00; Tu-Fr 07:00-21:00; Sa 07:00-21:30; Su 07:30-21:30')
  await page.getByRole('button', { name: 'Undo the last stroke' }).click()
  await expect(text).toHaveValue('Mo-Fr 21:00-07:00; Sa,Su 21:30-07:30')

  await page.getByLabel('First date').fill('2030-12-24')
  await page.getByLabel('Last date').fill('2030-12-26')
  await page.getByLabel('Hours of these dates').fill('10-12')
  await expect(page.getByRole('region', { name: 'Exceptions' }).getByRole('alert')).toBeVisible()
  await page.getByLabel('Hours of these dates').fill('off')
  await page.getByRole('button', { name: 'add the dates' }).click()
  await expect(page.getByText('2030-12-24 to 2030-12-26: off')).toBeVisible()
  await text.fill('Su 00:30-01:30')
  await expect(page.getByText(/the clock skips 01:00 to 02:00: a window with an edge at 01:30 is shorter that day/)).toBeVisible()
  await text.fill('Mo-Fr 21:00-07:00; Sa,Su 21:30-07:30')
  await text.fill('Mo-Fr 21:00-7')
  await expect(page.getByText('The picture is the last good one.')).toBeVisible()
  await expect(picture).toHaveAttribute('aria-label', 'The week as a picture: Mo-Fr 21:00-07:00; Sa,Su 21:30-07:30')
  await text.fill('Mo-Fr 21:00-07:00')
  await page.getByRole('button', { name: 'Add to the draft' }).click()
  await expect(page.getByRole('button', { name: /Painted Mo-Fr 21:00-07:00 and one exception/ })).toBeVisible()
})

test('a schedule goes into a calendar file and back, and holidays become exceptions', async ({ signedIn: page, place }) => {
  await page.goto(`${place.url}/hours`)
  await page.getByRole('button', { name: /^Play hours/ }).click()
  const [download] = await Promise.all([page.waitForEvent('download'), page.getByRole('button', { name: 'Save as a calendar file' }).click()])
  expect(download.suggestedFilename()).toBe('play-hours.ics')
  const file = await download.path()

  await page.getByRole('textbox', { name: 'Week' }).fill('off')
  await page.getByLabel('Take in a calendar file').setInputFiles(file)
  for (const box of await page.getByRole('list', { name: 'Entries of the calendar file' }).getByRole('checkbox').all()) await box.check()
  await page.getByRole('button', { name: 'Take in 2' }).click()
  await expect(page.getByRole('textbox', { name: 'Week' })).toHaveValue('Mo-Fr 16:00-18:30; Sa,Su 10:00-19:00')

  const calendar = (...lines: string[]) => ({ name: 'holidays.ics', mimeType: 'text/calendar', buffer: Buffer.from(lines.join('\r\n')) })
  await page.getByLabel('Take in a calendar file').setInputFiles(calendar('BEGIN:VCALENDAR', 'BEGIN:VEVENT', 'SUMMARY:Midwinter', 'DTSTART;VALUE=DATE:20261224', 'DTEND;VALUE=DATE:20261227', 'END:VEVENT',
    'BEGIN:VEVENT', 'SUMMARY:Fair', 'DTSTART:20261205T100000', 'DTEND:20261205T120000', 'END:VEVENT', 'END:VCALENDAR'))
  await expect(page.getByText('Fair: no counterpart here: it is a single event with a time')).toBeVisible()
  await page.getByRole('button', { name: 'Take in 1' }).click()
  await expect(page.getByRole('region', { name: 'Exceptions' })).toContainText('2026-12-24 to 2026-12-26: off')
  await page.getByLabel('Take in a calendar file').setInputFiles(calendar('not a calendar'))
  await expect(page.getByText(/This is no iCalendar file/)).toBeVisible()
})

test('two windows that edit one schedule: the later is told, and nothing is overwritten', async ({ signedIn: page, place }) => {
  const other = await page.context().newPage()
  for (const one of [page, other]) {
    await one.goto(`${place.url}/hours`)
    await one.getByRole('button', { name: /^Night / }).click()
  }
  await page.getByRole('textbox', { name: 'Week' }).fill('Mo-Su 23:00-07:00')
  await other.getByRole('textbox', { name: 'Week' }).fill('Mo-Su 20:00-07:00')
  await page.getByRole('button', { name: 'Keep in the draft' }).click()
  await expect(other.getByRole('button', { name: /^Night Mo-Su 23:00-07:00/ })).toBeVisible()
  await other.getByRole('button', { name: 'Keep in the draft' }).click()
  await expect(other.getByRole('alert')).toContainText('This was changed meanwhile')
  await expect(other.getByRole('textbox', { name: 'Week' })).toHaveValue('Mo-Su 20:00-07:00')
  await expect(page.getByRole('button', { name: /^Night Mo-Su 23:00-07:00/ })).toBeVisible()
})

test('pasted addresses show what they would do, and are taken in', async ({ signedIn: page, place }) => {
  await page.goto(`${place.url}/devices`)
  await page.getByRole('button', { name: 'Paste or drop addresses' }).click()
  await page.getByLabel(/^Paste what a machine says/).fill(`1795428000 02:5e:10:00:00:05 192.0.2.15 card-terminal *
1795428000 02:5e:40:00:00:01 192.0.2.90 loan-tablet *
1795428000 02:5e:40:00:00:02 192.0.2.91 loan-tablet *
cut off
0 02:5e:40:00:00:03 192.0.2.92 * *`)
  await expect(page.getByText('Read as leases of dnsmasq: two new, one known already, and one line not read.')).toBeVisible()
  await expect(page.getByText('Line 4: A lease has five columns')).toBeVisible()
  await page.getByRole('button', { name: 'Take in one' }).click()
  await expect(page.getByRole('button', { name: /Loan tablet .* 02:5e:40:00:00:01 .* 02:5e:40:00:00:02/ })).toBeVisible()

  await page.getByRole('button', { name: 'Paste or drop addresses' }).click()
  await page.getByLabel(/^Paste what a machine says/).fill('2: eth0: <UP>\n    link/ether 02:5e:10:00:00:1d\n3: wlan0: <UP>\n    link/ether 02:5e:40:00:00:09\n')
  await expect(page.getByRole('listitem').getByText('further adapter of Old laptop')).toBeVisible()
  await page.getByRole('button', { name: 'Take in one' }).click()
  await expect(page.getByRole('button', { name: /Old laptop .* 02:5e:40:00:00:09 Wi-Fi/ })).toBeVisible()

  await page.getByRole('button', { name: 'Paste or drop addresses' }).click()
  const leases = Array.from({ length: 60_000 }, (_, index) => `1795428000 02:5e:7${(index >> 16) & 15}:00:${(index >> 8 & 255).toString(16).padStart(2, '0')}:${(index & 255).toString(16).padStart(2, '0')} 192.0.2.9 host-${index} *`)
  await page.getByLabel('or choose a file').setInputFiles({ name: 'leases', mimeType: 'text/plain', buffer: Buffer.from(leases.join('\n')) })
  await expect(page.getByText('Read as leases of dnsmasq: 60000 new.')).toBeVisible()
  await expect(page.getByText('and 59800 more.')).toBeVisible()
  await page.getByRole('main').getByRole('button', { name: 'Close' }).click()

  const card = page.locator('[data-mac="02:5e:10:00:00:32"]')
  await expect(card).toContainText('Looks like the same machine as Ledger laptop')
  await card.getByRole('button', { name: 'Add it there' }).click()
  await expect(page.getByRole('button', { name: /Ledger laptop .* 02:5e:10:00:00:32 cable/ })).toBeVisible()
})
