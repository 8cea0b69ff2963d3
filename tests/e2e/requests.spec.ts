import { FIRST_SETTINGS } from '../../protocol/gateway/settings.ts'
import { freePort, PASSWORD, startPlace } from '../support/place.ts'
import { choose, expect, test, TIME } from './support/place.ts'

const PHONE = { viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true }
const TABLET = { device: 'lena-tablet', host: '02-5e-10-00-00-1b.localhost' }

test('a helper on a phone grants what a blocked tablet asks for, without a script, and can do no more', async ({
  page,
  browser,
}) => {
  const pagePort = await freePort()
  const place = await startPlace({
    KAIROSTAT_DEMO: PASSWORD,
    KAIROSTAT_SIMULATED_PAGE_PORT: String(pagePort),
  })
  const phone = await browser.newContext(PHONE)
  const tablet = await browser.newContext({ ...PHONE, javaScriptEnabled: false })
  try {
    const cookie = await place.signIn()
    const [name, value] = cookie.split('=') as [string, string]
    await page.context().addCookies([{ name, value, url: place.url }])
    const call = (method: string, path: string, body?: unknown) => place.send(method, path, { cookie, body })
    const joinAs = async (name: string, rights: object) => {
      const { code } = (await (await call('POST', '/api/invitations', rights)).json()) as { code: string }
      const joined = await place.send('POST', '/api/join', { body: { code, name, password: PASSWORD } })
      return joined.headers.get('set-cookie')!.split(';')[0]!
    }
    await call('PUT', '/api/gateway/settings', { ...FIRST_SETTINGS, page: { shown: true, words: 'Ask us.' } })
    const who = { devices: [TABLET.device] }
    expect((await call('POST', '/api/overrides', { effect: 'block', who })).status).toBe(200)

    // The administrator invites a helper.
    await page.goto(`${place.url}/settings/people`)
    const people = page.getByRole('region', { name: 'People' })
    await choose(people, 'Role', 'Helper')
    await people.getByRole('button', { name: 'Create a link' }).click()
    await expect(people.getByRole('alert')).toContainText('choose a group')
    await choose(people, 'Longest time', '30 min at most')
    await choose(people, 'Groups', 'Flat upstairs')
    await people.getByRole('button', { name: 'Create a link' }).click()
    const link = await people.getByLabel('Link of the invitation', { exact: true }).innerText()
    await expect(people.getByText(/^Helper, 30 min at most for Flat upstairs, by demo, until /)).toBeVisible()

    const theirs = await phone.newPage()
    await theirs.goto(link)
    await theirs.getByLabel('Name').fill('Ines')
    await theirs.getByLabel('Password').fill('long enough it is')
    await theirs.getByRole('button', { name: 'Join' }).click()
    await expect(theirs.getByRole('heading', { level: 1 })).toContainText('Right now')
    await expect(theirs.getByRole('region', { name: 'Requests for more time' })).toHaveCount(0)

    // The tablet asks on the page of a blocked site.
    const asking = await tablet.newPage()
    await asking.goto(`http://reelbrook.example.${TABLET.host}:${pagePort}/watch?v=1`)
    await expect(asking.getByRole('heading', { level: 1 })).toContainText(
      'reelbrook.example is blocked for you',
    )
    await asking.getByLabel('How long').selectOption('60 minutes')
    await asking.getByLabel(/^What for/).fill('the last chapter')
    await asking.getByRole('button', { name: 'Ask' }).click()
    await expect(asking.getByRole('heading', { name: 'Asked, not answered yet' })).toBeVisible()

    // It appears by itself, with what the helper may grant at most; the administrator sees it too.
    const request = theirs.getByRole('region', { name: 'Requests for more time' })
    await expect(request).toContainText('Lena’s tablet')
    await expect(request).toContainText('the last chapter')
    await expect(
      theirs.getByRole('navigation', { name: 'Pages at the thumb' }).getByText('1', { exact: true }),
    ).toBeVisible()
    await expect(
      page.getByRole('navigation', { name: 'Pages', exact: true }).getByRole('link', { name: /Board/ }),
    ).toContainText('1')
    await theirs.getByRole('button', { name: 'Allow Lena’s tablet for 30 min' }).click()
    await expect(theirs.getByText('Lena’s tablet is allowed for 30 min.', { exact: true })).toBeVisible()
    await expect(request).toHaveCount(0)
    await expect(page.getByRole('link', { name: /Board/ }).getByText('1')).toHaveCount(0)

    // The asking page says so by itself.
    await expect(
      asking.getByRole('heading', { name: new RegExp(`^Granted until ${TIME}$`, 'i') }),
    ).toBeVisible({
      timeout: 15_000,
    })
    await expect(asking.getByRole('heading', { level: 1 })).toContainText(
      'The internet is allowed for you until',
    )

    // The helper can do no more: neither on screens nor by the routes.
    for (const address of ['/rules', '/devices', '/history', '/activity', '/review']) {
      await theirs.goto(place.url + address)
      await expect(theirs.getByRole('heading', { level: 1 })).toContainText('Right now')
      expect(new URL(theirs.url()).pathname).toBe('/')
    }
    await theirs.goto(`${place.url}/?device=lena-phone`)
    const panel = theirs.getByRole('complementary', { name: 'Lena’s phone' })
    await expect(panel.getByRole('button', { name: /^Allow/ })).toBeVisible()
    await expect(panel.getByRole('link')).toHaveCount(0)
    await theirs.goto(`${place.url}/?device=office-desktop`)
    await expect(theirs.getByTestId('sentence')).toBeVisible()
    await expect(
      theirs.getByRole('complementary').getByRole('button', { name: /^(Allow|Block)/ }),
    ).toHaveCount(0)
    const [, session] = (await phone.cookies())
      .map(({ name, value }) => `${name}=${value}`)
      .join(';')
      .match(/(kairostat=[^;]+)/)!
    for (const [method, path, body] of [
      ['POST', '/api/overrides', { effect: 'allow', who: { devices: ['office-desktop'] }, lasts: 60 }],
      ['POST', '/api/overrides', { effect: 'allow', who: { devices: ['lena-phone'] }, lasts: 3600 }],
      ['POST', '/api/revisions', { note: '' }],
      ['GET', '/api/people', undefined],
    ] as const)
      expect([path, (await place.send(method, path, { cookie: session, body })).status]).toEqual([path, 403])
    await theirs.goto(`${place.url}/settings/account`)
    await expect(theirs.getByRole('heading', { name: 'Your password' })).toBeVisible()
    for (const hidden of ['Your network', 'People', 'Access for programs'])
      await expect(theirs.getByRole('main').getByText(hidden, { exact: true })).toHaveCount(0)

    // The administrator reads it in the log, and undoes only own edits.
    const edit = (cookie: string, name: string) =>
      place.send('PUT', '/api/place', { cookie, body: { name, timeZone: 'Europe/Lisbon' } })
    await page.goto(`${place.url}/history/log`)
    await choose(page, 'What it is about', 'Requests')
    const log = page.getByRole('region', { name: 'Who did what' }).getByRole('list')
    await expect(log.getByRole('listitem')).toHaveCount(1)
    await expect(log).toContainText('Ines')
    await expect(log).toContainText('Request of Lena’s tablet for 60 minutes granted for 30 minutes')
    const editor = await joinAs('Marta', { role: 'editor', limit: null })
    await edit(editor, 'Marta’s bindery')
    await page.goto(place.url)
    await page.getByRole('contentinfo').getByRole('button', { name: 'Undo' }).click()
    await expect(
      page
        .getByText(/^Somebody else made this edit\. It was made by Marta: Settings “Marta’s bindery” name: /)
        .first(),
    ).toBeVisible()
    const draftName = async () =>
      ((await (await call('GET', '/api/draft')).json()) as { place: { name: string } }).place.name
    expect(await draftName()).toBe('Marta’s bindery')
    await page.getByRole('button', { name: 'Undo it anyway' }).click()
    await expect.poll(draftName).toBe('Saltmarsh Bindery')
  } finally {
    await Promise.all([phone.close(), tablet.close()])
    await place.stop()
  }
})
