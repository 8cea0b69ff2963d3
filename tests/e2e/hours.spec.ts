import { choose, expect, openPage, test } from './support/place.ts'

test('a week is painted with mouse and keyboard, typed, copied, turned round and undone, and the text follows', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/schedules`)
  await page.getByRole('button', { name: 'New schedule' }).click()
  const text = page.getByRole('textbox', { name: 'Week' })
  await page.getByLabel('Name', { exact: true }).fill('Painted')
  await text.fill('off')
  const picture = page.getByRole('group', { name: /The week as a picture/ })
  const { x, y, width } = (await picture.boundingBox())!
  // The lanes of WeekPainter.vue: 40 pixels before them, 18 above, 28 each.
  const spot = (day: number, hour: number): [number, number] => [
    x + 40 + (hour / 24) * (width - 42),
    y + 18 + day * 28 + 14,
  ]
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

  await choose(page, 'On which days', 'the weekend')
  await page.getByLabel('From').fill('9.30 pm')
  await page.getByLabel('Until, or for how long').fill('10h')
  await page.getByRole('button', { name: 'Add time range' }).click()
  await expect(text).toHaveValue('Mo 21:00-07:00; Sa,Su 21:30-07:30')
  await choose(page, 'Days to copy to', 'weekdays')
  await page.getByRole('button', { name: 'Copy', exact: true }).click()
  await expect(text).toHaveValue('Mo-Fr 21:00-07:00; Sa,Su 21:30-07:30')
  await page.getByRole('button', { name: 'Invert' }).click()
  await expect(text).toHaveValue('Mo 07:30-21:00; Tu-Fr 07:00-21:00; Sa 07:00-21:30; Su 07:30-21:30')
  await page.getByRole('button', { name: 'Undo the last change' }).click()
  await expect(text).toHaveValue('Mo-Fr 21:00-07:00; Sa,Su 21:30-07:30')

  const dates = page.getByLabel('Dates and their times')
  await dates.fill('24-26 Dec 2030 perhaps')
  await expect(page.getByRole('region', { name: 'Exceptions' }).getByRole('alert')).toBeVisible()
  await dates.fill('24-26 Dec 2030 8-12')
  await page.getByLabel('What they are').fill('Midwinter')
  await page.getByRole('button', { name: 'Add exception' }).click()
  await expect(page.getByText('Midwinter, Tue 24 Dec 2030 to Thu 26 Dec 2030: 08:00-12:00')).toBeVisible()
  await text.fill('Su 00:30-01:30')
  await expect(
    page.getByText(
      /the clock skips 01:00 to 02:00: a time range that begins or ends at 01:30 is shorter that day/,
    ),
  ).toBeVisible()
  await text.fill('Mo-Fr 21:00-07:00; Sa,Su 21:30-07:30')
  await text.fill('weekdays 9pm-7am')
  await expect(page.locator('#week-help')).toContainText('Monday to Friday 21:00 to 07:00 next day')
  await text.fill('Mo-Fr 21:00-')
  await expect(page.getByText('The drawing shows the last valid week.')).toBeVisible()
  await expect(picture).toHaveAttribute('aria-label', 'The week as a picture: Mo-Fr 21:00-07:00')
  await text.fill('Mo-Fr 21:00-07:00')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(
    page.getByRole('link', { name: /Painted Monday to Friday 21:00 to 07:00 next day and 1 exception/ }),
  ).toBeVisible()
})

test('a schedule goes into a calendar file and back, and holidays become exceptions', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/schedules`)
  await page.getByRole('link', { name: /^Play hours/ }).click()
  const [download] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Export as calendar' }).click(),
  ])
  expect(download.suggestedFilename()).toBe('play-hours.ics')
  const file = await download.path()

  await page.getByRole('textbox', { name: 'Week' }).fill('off')
  await page.getByLabel('Import a calendar').setInputFiles(file)
  const boxes = page.getByRole('list', { name: 'Events of the calendar' }).getByRole('checkbox')
  await expect(boxes).toHaveCount(2)
  for (const box of await boxes.all()) await box.check()
  await page.getByRole('button', { name: 'Import 2' }).click()
  await expect(page.getByRole('textbox', { name: 'Week' })).toHaveValue(
    'Mo-Fr 16:00-18:30; Sa,Su 10:00-19:00',
  )

  const calendar = (...lines: string[]) => ({
    name: 'holidays.ics',
    mimeType: 'text/calendar',
    buffer: Buffer.from(lines.join('\r\n')),
  })
  await page
    .getByLabel('Import a calendar')
    .setInputFiles(
      calendar(
        'BEGIN:VCALENDAR',
        'BEGIN:VEVENT',
        'SUMMARY:Midwinter',
        'DTSTART;VALUE=DATE:20261224',
        'DTEND;VALUE=DATE:20261227',
        'END:VEVENT',
        'BEGIN:VEVENT',
        'SUMMARY:Fair',
        'DTSTART:20261205T100000',
        'DTEND:20261205T120000',
        'END:VEVENT',
        'END:VCALENDAR',
      ),
    )
  await expect(page.getByText('Fair: cannot be imported: it is a single event with a time')).toBeVisible()
  await page.getByRole('button', { name: 'Import 1' }).click()
  await expect(page.getByRole('region', { name: 'Exceptions' })).toContainText(
    'Midwinter, Thu 24 Dec 2026 to Sat 26 Dec 2026: no time range',
  )

  // The public holidays of a country, of which one is left out.
  await page.getByRole('button', { name: 'Public holidays…' }).click()
  await choose(page, 'Country', 'Portugal')
  await page.getByRole('button', { name: 'List its holidays' }).click()
  const holidays = page.getByRole('list', { name: 'Events of the calendar' })
  await holidays
    .getByRole('checkbox', { name: /^New Year’s Day/ })
    .first()
    .uncheck()
  await page.getByRole('button', { name: /^Import \d+$/ }).click()
  await expect(page.getByRole('region', { name: 'Exceptions' })).toContainText(
    /Liberty Day, \w+ 25 Apr \d+: no time range/,
  )

  await page.getByLabel('Import a calendar').setInputFiles(calendar('not a calendar'))
  await expect(page.getByText(/This is not an iCalendar file/)).toBeVisible()
})

test('two windows that edit one schedule: the later is told, and nothing is overwritten', async ({
  signedIn: page,
  place,
}) => {
  const other = await page.context().newPage()
  for (const one of [page, other]) {
    await one.goto(`${place.url}/schedules`)
    await one.getByRole('link', { name: /^Night / }).click()
  }
  await page.getByRole('textbox', { name: 'Week' }).fill('Mo-Su 23:00-07:00')
  await other.getByRole('textbox', { name: 'Week' }).fill('Mo-Su 20:00-07:00')
  await page.getByRole('button', { name: 'Save' }).click()
  await expect(other.getByRole('link', { name: /^Night Every day 23:00 to 07:00 next day/ })).toBeVisible()
  await other.getByRole('button', { name: 'Save' }).click()
  await expect(other.getByRole('alert')).toContainText('This was changed meanwhile')
  await expect(other.getByRole('textbox', { name: 'Week' })).toHaveValue('Mo-Su 20:00-07:00')
  await expect(page.getByRole('link', { name: /^Night Every day 23:00 to 07:00 next day/ })).toBeVisible()
})

test('a week is painted by touch', async ({ browser, place }) => {
  const context = await browser.newContext({
    hasTouch: true,
    viewport: { width: 390, height: 844 },
    timezoneId: 'Europe/Lisbon',
  })
  const [name, value] = (await place.signIn()).split('=') as [string, string]
  await context.addCookies([{ name, value, url: place.url }])
  const page = await context.newPage()
  await page.goto(`${place.url}/schedules`)
  await page.getByRole('button', { name: 'New schedule' }).tap()
  await page.getByRole('textbox', { name: 'Week' }).fill('off')
  const picture = page.getByRole('group', { name: /The week as a picture/ })
  await picture.scrollIntoViewIfNeeded()
  const { x, y, width } = (await picture.boundingBox())!
  const touch = await context.newCDPSession(page)
  const at = (hour: number) => [{ x: x + 40 + (hour / 24) * (width - 42), y: y + 18 + 2 * 28 + 14 }]
  const before = await page.evaluate(() => scrollY)
  await touch.send('Input.dispatchTouchEvent', { type: 'touchStart', touchPoints: at(8) })
  for (const hour of [9, 12, 15, 17])
    await touch.send('Input.dispatchTouchEvent', { type: 'touchMove', touchPoints: at(hour) })
  await touch.send('Input.dispatchTouchEvent', { type: 'touchEnd', touchPoints: [] })
  await expect(page.getByRole('textbox', { name: 'Week' })).toHaveValue('We 08:00-17:00')
  expect(await page.evaluate(() => scrollY)).toBe(before)
  await context.close()
})

test('hours in use go only with others in their place, and a clock that is off is told before they are put live', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/schedules`)
  await page.getByRole('link', { name: /^School nights/ }).click()
  await page.getByRole('button', { name: 'Delete', exact: true }).click()
  await expect(page.getByRole('alert')).toContainText('Used by “Lena sleeps”.')
  await page.getByRole('button', { name: 'Delete it from these rules too' }).click()
  await expect(page.getByRole('alert')).toContainText(
    'Without it “Lena sleeps” would have no schedule left: choose a replacement.',
  )
  await choose(page, 'Replacement', 'Play hours')
  await page.getByRole('button', { name: 'Replace and delete' }).click()
  await expect(page.getByRole('link', { name: /^School nights/ })).toHaveCount(0)
  const ahead = new Date(Date.now() + 600_000).toISOString().replace(/\.\d+/, '')
  const cookie = await place.signIn()
  expect((await place.send('PUT', '/api/gateway/clock', { cookie, body: { instant: ahead } })).status).toBe(
    200,
  )
  await page.getByRole('link', { name: 'Review changes' }).click()
  await expect(page.getByRole('list', { name: 'Before you apply' })).toContainText(
    'The gateway’s clock is 10 min ahead, so schedules would run at the wrong time.',
  )
  await place.send('PUT', '/api/gateway/clock', { cookie, body: { instant: null } })
  await expect(page.getByText('would run at the wrong time')).toHaveCount(0)
  await page.getByRole('contentinfo').getByRole('button', { name: 'Undo' }).click()
  await openPage(page, 'Schedules')
  await expect(page.getByRole('link', { name: /^School nights/ })).toBeVisible()
})
