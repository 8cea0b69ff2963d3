import { readFile } from 'node:fs/promises'
import type { Page } from '@playwright/test'
import { standingSentence } from '../../app/text/standing.ts'
import { dateWords } from '../../app/text/time.ts'
import { periodStates, type PolicyPeriod } from '../../core/decision/periods.ts'
import { instantText, localText, readInstant, readLocal } from '../../core/time/instant.ts'
import { DAY } from '../../core/time/duration.ts'
import type { Decision } from '../../protocol/gateway/gateway.ts'
import type { PeriodAnswer } from '../../protocol/answers.ts'
import { ahead, choose, expect, LISBON, openPage, test, TIME } from './support/place.ts'

test.use({ only: 'board' })

const wednesday = (clock: string) => ahead(2, clock)
const moment = (local: string) => readLocal(local, LISBON)!
const at = (page: Page, local: string) =>
  test.step(`at ${local}`, async () => {
    await page.keyboard.press('Escape')
    await page.getByRole('heading', { level: 1 }).click()
    await page.keyboard.press('m')
    await page.getByLabel('A moment to look at').fill(local)
    await page.keyboard.press('Enter')
  })

test('twenty questions have one answer: on the board, by the core over what was and will be in force, and by the gateway', async ({
  signedIn: page,
  place,
}) => {
  test.setTimeout(240_000)
  const cookie = await place.signIn()
  const get = async <T>(path: string) => (await (await place.send('GET', path, { cookie })).json()) as T
  const now = Math.floor(Date.now() / 1000)
  const local = (seconds: number) => localText(now + seconds, LISBON).slice(0, 16)
  const day = (days: number, clock: string) => `${local(days * DAY).slice(0, 10)}T${clock}`
  // Past (the demo's policy is nine days old; before it nobody was restricted), now with two overrides, to
  // come, exceptions, and both changes of the clock.
  const questions: [device: string, local: string][] = [
    ['ledger-laptop', day(-1, '23:40')],
    ['lena-tablet', day(-1, '12:00')],
    ['bench-tablet', day(-3, '10:00')],
    ['press-laptop', day(-30, '23:00')],
    ['catalogue-kiosk', day(-8, '04:00')],
    ['ines-phone', local(60)],
    ['big-screen', local(60)],
    ['card-terminal', local(60)],
    ['tide-clock', local(60)],
    ['guillotine', local(60)],
    ['front-tablet', day(1, '17:00')],
    ['bench-tablet', day(2, '10:00')],
    ['lena-phone', day(3, '21:30')],
    ['hall-radio', day(4, '12:00')],
    ['marta-phone', day(5, '23:30')],
    ['bench-tablet', '2026-12-08T10:00'],
    ['press-laptop', '2026-12-24T10:00'],
    ['ledger-laptop', '2027-03-28T00:30'],
    ['ledger-laptop', '2027-03-28T02:30'],
    ['lena-reader', '2027-10-31T01:30'],
  ]
  const periods = (await get<PeriodAnswer[]>(`/api/history?from=${instantText(now - 60 * DAY)}`)).map(
    ({ from, until, policy }): PolicyPeriod => ({
      policy,
      from: from === null ? -Infinity : readInstant(from)!,
      until: until === null ? Infinity : readInstant(until)!,
    }),
  )
  await page.goto(`${place.url}/?device=${questions[0]![0]}`)
  for (const [device, when] of questions) {
    await at(page, when)
    await expect(page.getByRole('heading', { level: 1 })).toContainText(when.slice(11))
    const instant = readInstant(
      await page
        .getByRole('slider')
        .getAttribute('aria-valuenow')
        .then((value) => instantText(Number(value))),
    )!
    if (
      !(await page
        .getByRole('complementary', {
          name: periods.at(-1)!.policy.devices.find(({ id }) => id === device)!.name,
          exact: true,
        })
        .isVisible())
    )
      await page.locator(`[data-device="${device}"]`).click()
    const macs = periods
      .at(-1)!
      .policy.devices.find(({ id }) => id === device)!
      .adapters.map(({ mac }) => mac)
    const [moment] = periodStates(periods, [{ device, macs, network: null }], instant)
    const { policy } = periods.findLast(({ from }) => from <= instant)!
    const { before, name, after } = standingSentence(moment!, policy, instant)
    await expect(page.getByTestId('sentence'), `${device} at ${when}`).toHaveText(`${before}${name}${after}`)
    if (instant < now) continue
    const decision = await get<Decision>(
      `/api/gateway/decision?mac=${encodeURIComponent(macs[0]!)}&at=${instantText(instant)}`,
    )
    expect([device, when, decision.state, decision.because, decision.until]).toEqual([
      device,
      when,
      moment!.state,
      moment!.decidedBy?.kind === 'shielded' ? null : (moment!.decidedBy?.id ?? null),
      moment!.until === null ? null : instantText(moment!.until),
    ])
  }
  const cloaked = new Set(questions.map(([device]) => device))
  expect([questions.length, cloaked.size > 10]).toEqual([20, true])

  // The draft closes School nights half an hour later.
  await page.locator('[data-device="lena-tablet"]').click()
  await at(page, ahead(1, '20:45'))
  await expect(page.getByTestId('sentence')).toContainText('Blocked since 20:30')
  await page.getByRole('button', { name: 'Draft', exact: true }).click()
  await expect(page.getByTestId('sentence')).toContainText('Partly blocked')
  await expect(page.getByText('The draft from now on. It is not live yet.')).toBeVisible()
  await page.getByRole('button', { name: 'Live', exact: true }).click()
  await expect(page.getByTestId('sentence')).toContainText('Blocked since 20:30')
})

test('the board is filtered, sorted, folded, zoomed, read out, and taken away as a table', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(place.url)
  await at(page, wednesday('10:00'))
  const rows = page.locator('[data-device]')
  await expect(page.locator('[data-device="press-laptop"]')).toContainText('listed sites only until 12:30')
  await choose(page, 'Which state', 'blocked')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('devices are blocked')
  const blocked = await rows.count()
  expect(blocked).toBeGreaterThan(4)
  expect(
    await rows
      .allTextContents()
      .then((texts) => texts.every((text) => /blocked|listed sites only/.test(text))),
  ).toBe(true)
  await choose(page, 'Which group', 'Apprentices')
  await expect(rows).toHaveCount(5)
  await page.getByRole('button', { name: 'Show all' }).click()
  await page.getByLabel('Which devices').fill('lena phone')
  await expect(rows).toHaveCount(1)
  await page.getByRole('button', { name: 'Show all' }).click()
  await choose(page, 'Sort by', 'by name')
  const names = await rows.evaluateAll((list) =>
    list.map((row) => row.querySelector('.name')!.textContent!.trim()),
  )
  expect(names).toEqual([...names].sort((a, b) => a.localeCompare(b)))
  await choose(page, 'Sort by', 'by group')
  await page.getByRole('button', { name: 'Apprentices', exact: true }).click()
  await expect(page.getByRole('button', { name: 'Apprentices 3, 3 blocked' })).toBeVisible()
  await page.getByRole('button', { name: /^Apprentices/ }).click()

  // Its hours are worked out again once it is unfolded.
  await expect(page.locator('[data-device="press-laptop"] svg path[d^="M"]').first()).toBeAttached()
  await page.locator('[data-device="press-laptop"]').focus()
  const read = page.locator('p.read')
  await page.keyboard.press('ArrowRight')
  await expect(read).toHaveText(
    'Press room laptop: listed sites only, from 09:00 until 12:30, by Quiet bench.',
  )
  await page.keyboard.press('ArrowRight')
  await expect(read).toHaveText(
    'Press room laptop: partly blocked, from 12:30 until 14:00, by No video or games at work.',
  )
  await page.getByRole('button', { name: 'Week', exact: true }).click()
  await expect(page.locator('.axis')).toContainText(
    dateWords(moment(wednesday('10:00')) + DAY, LISBON).replace(/ \w+$/, ''),
  )
  await page.getByRole('button', { name: 'Closer' }).click()
  await page.getByRole('button', { name: 'Later' }).click()
  await page.getByRole('button', { name: 'Day', exact: true }).click()
  await expect(page.locator('.axis')).toContainText('21')
  await page.getByRole('button', { name: 'More changes' }).click()
  await expect(page.getByRole('list', { name: 'The next changes' }).getByRole('listitem')).toHaveCount(5)

  await page.getByRole('button', { name: 'Compare', exact: true }).click()
  const said = page.locator('.said')
  const other = page.getByLabel('The other moment')
  await other.fill(wednesday('10:05'))
  await expect(said).toHaveText(
    `On ${dateWords(moment(wednesday('10:05')), LISBON)}, 10:05 all devices can reach the same as at the moment shown.`,
  )
  await other.fill(wednesday('13:00'))
  await expect(page.locator('[data-differs="press-laptop"]')).toContainText(
    'listed sites only, then partly blocked',
  )
  await expect(page.locator('[data-differs="press-laptop"]').getByRole('img')).toHaveCount(2)
  await other.fill('somewhen')
  await expect(page.getByText('“somewhen” is not a date or time')).toBeVisible()
  await choose(page, 'What is compared', 'two devices')
  await expect(said).toContainText(/^They differ |^Both can reach the same/)
  await choose(page, 'The other device', 'Tide clock')
  await expect(said).toContainText(new RegExp(`^They differ ${TIME} to `))

  await page.getByRole('button', { name: 'Table' }).click()
  await page.getByRole('button', { name: /^until/ }).click()
  await expect(page.getByRole('columnheader', { name: 'until ↑' })).toHaveAttribute('aria-sort', 'ascending')
  const file = async (name: string) => {
    const [download] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('button', { name, exact: true }).click(),
    ])
    return readFile(await download.path(), 'utf8')
  }
  const [from, now, until] = ['09:00', '10:00', '12:30'].map((clock) => instantText(moment(wednesday(clock))))
  const csv = await file('CSV')
  expect([csv.split('\r\n')[0], csv]).toEqual([
    'name,group,state,by,since,until,network,allowance,at',
    expect.stringContaining(`Press room laptop,Apprentices,listed-only,Quiet bench,${from},${until}`),
  ])
  expect(JSON.parse(await file('JSON'))).toMatchObject({ at: now })
  expect(await file('a calendar')).toContain('SUMMARY:Press room laptop is blocked')
})

test('asked whether it can reach something, the panel says yes or no, by what, and when that changes', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/?device=front-tablet`)
  await at(page, wednesday('10:00'))
  const ask = page.getByLabel('Can Front desk tablet reach …')
  const verdict = page.getByTestId('verdict')
  await ask.fill('https://reelbrook.example/watch')
  await expect(verdict).toHaveText(
    'No, until 18:30: rule 6 of 16, No video or games at work, blocks it. It is allowed from 18:30.',
  )
  await choose(page, 'For whom, Front desk tablet or a group', 'all of Front of house')
  await expect(page.getByTestId('group-verdict')).toHaveText(
    '1 of 3 of Front of house can; not Front desk tablet and Catalogue kiosk. It changes at 18:30.',
  )
  await choose(page, 'For whom, Front desk tablet or a group', 'Front desk tablet')
  const until = page.getByLabel('Until when it is asked')
  // What is now can be allowed here, a part alone; what is to come not.
  await expect(page.getByRole('button', { name: 'Allow it for 30 min' })).toHaveCount(0)
  await page.getByText('All allowed times').click()
  await expect(page.getByTestId('passes').getByRole('listitem').first()).toHaveText(
    `${dateWords(moment(wednesday('18:30')), LISBON)} 18:30 to 22:00`,
  )
  await until.fill(wednesday('17:00'))
  await expect(verdict).toHaveText(
    'No: rule 6 of 16, No video or games at work, blocks it. No change until 17:00 at least.',
  )
  await until.fill(wednesday('20:00'))
  await expect(page.getByTestId('passes')).toHaveText(
    `${dateWords(moment(wednesday('18:30')), LISBON)} 18:30 to 20:00`,
  )
  for (const [said, fault] of [
    ['somewhen', '“somewhen” is not a date or time'],
    ['yesterday 20:00', 'before the moment shown'],
    ['2099-01-01T20:00', '400 days at most'],
  ]) {
    await until.fill(said!)
    await expect(page.getByRole('alert')).toContainText(fault!)
  }
  await until.fill('')
  await ask.fill('paperwiki.example')
  await expect(verdict).toHaveText('Yes, until 22:00: no rule covers it. It is blocked from 22:00.')
  await ask.fill('Reelbrook')
  await expect(verdict).toHaveCount(3)
  await ask.fill('tcp/21')
  await expect(verdict).toHaveCount(1)
  await expect(verdict).toHaveText(/^(Yes|No)/)
  await ask.fill('no such..place')
  await expect(page.getByText(/is not a host name, address or URL/)).toBeVisible()
})

test('what works out the hours is loaded anew after it could not be', async ({ signedIn: page, place }) => {
  const workers = '**/_nuxt/decide-*.js'
  await page.route(workers, (route) => route.abort())
  await page.goto(place.url)
  await expect(page.getByRole('alert')).toContainText('could not be loaded')
  await page.unroute(workers)
  await page.getByRole('button', { name: 'Week', exact: true }).click()
  await expect(page.getByRole('img', { name: /^blocked/ }).first()).toBeVisible()
  // Until the page is another: a request that goes well does not take back what went wrong elsewhere.
  await expect(page.getByRole('alert')).toContainText('could not be loaded')
  await openPage(page, 'Devices')
  await expect(page.getByRole('alert')).toHaveCount(0)
})

test('what was live before stays the answer for its time', async ({ signedIn: page, place }) => {
  const cookie = await place.signIn()
  // Two revisions of one second would be one moment.
  await page.waitForTimeout(1100)
  await page.goto('about:blank')
  await place.send('POST', '/api/rules', {
    cookie,
    body: {
      name: 'Everything stops',
      effect: 'block',
      who: { everyone: true },
      what: { internet: true },
      when: { always: true },
    },
  })
  // It is put live while the page opens, just before the page begins to hear what changes.
  await page.route(
    '**/api/events',
    async (route) => {
      expect((await place.send('POST', '/api/revisions', { cookie, body: {} })).status).toBe(200)
      await route.continue()
    },
    { times: 1 },
  )
  await page.goto(`${place.url}/?device=tide-clock`)
  await expect(page.getByTestId('sentence')).toContainText(
    new RegExp(`^Blocked since ${TIME}, no end planned, by Everything stops`),
  )
  await at(page, 'yesterday 12:00')
  await expect(page.getByTestId('sentence')).toContainText(/^Allowed.*, until /)
  await expect(page.getByTestId('sentence')).not.toContainText('Everything stops')
  await page.keyboard.press('n')
  await expect(page.getByTestId('sentence')).toContainText('by Everything stops')
})

test('a part of the internet alone is allowed for a while, under the answer that says no', async ({
  signedIn: page,
  place,
}) => {
  const cookie = await place.signIn()
  const block = await place.send('POST', '/api/overrides', {
    cookie,
    body: {
      effect: 'block',
      who: { devices: ['office-desktop'] },
      what: { sites: ['folio.example'], apps: ['gone'] },
      note: '',
      from: null,
      until: null,
      lasts: 3600,
    },
  })
  expect([block.status, await block.text()]).toEqual([422, expect.stringContaining('Apply the list or app')])
  await page.goto(`${place.url}/?device=hall-radio`)
  await page.getByRole('button', { name: 'Block for 30 min' }).click()
  const ask = page.getByLabel('Can Hall radio reach …')
  await ask.fill('folio.example')
  const verdict = page.getByTestId('verdict')
  await expect(verdict).toContainText(/^No/)
  await page.getByRole('button', { name: 'Allow it for 30 min' }).click()
  await expect(verdict).toContainText(/^Yes.*: an override allows it\./)
  await ask.fill('reelbrook.example')
  await expect(verdict).toContainText(/^No/)
})
