import { spawn, spawnSync, type ChildProcess } from 'node:child_process'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { ROUTES } from '../../server/http/api-routes.ts'
import { needOf } from '../../server/http/needs.ts'
import { freePort, PASSWORD, SETUP_CODE, startPlace, type Place } from '../support/place.ts'
import { choose, expect, openPage, test } from './support/place.ts'

test.use({ only: 'places' })

/** Adds a place by its name, and answers its id. */
async function add(place: Place, cookie: string, name: string): Promise<string> {
  const made = await place.send('POST', '/api/places', { cookie, body: { name, timeZone: 'Europe/Madrid' } })
  return ((await made.json()) as { id: string }).id
}

test('a second place is added; then there is a switcher, an overview, a search, and a schedule copied with a review', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(`${place.url}/settings`)
  const side = page.getByRole('banner')
  await expect(side.getByText('Saltmarsh Bindery')).toBeVisible()
  await expect(page.getByRole('link', { name: 'All places' })).toHaveCount(0)
  await page.getByRole('link', { name: 'Add a place' }).click()
  const form = page.getByRole('region', { name: 'Add a place' })
  await form.getByRole('textbox', { name: 'Name' }).fill('Paper store')
  await form.getByRole('button', { name: 'Add a place' }).click()
  await page.waitForURL(`${place.url}/places/paper-store/`)
  await expect(page.getByRole('heading', { name: 'First steps' })).toBeVisible()

  // Every page of the place keeps its address, also where it is loaded anew.
  await openPage(page, 'Schedules')
  await expect(page).toHaveURL(`${place.url}/places/paper-store/schedules`)
  await page.reload()
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible()
  await choose(page, 'Place', 'Saltmarsh Bindery')
  await page.waitForURL(`${place.url}/`)
  await openPage(page, 'Schedules')
  await page
    .getByRole('link', { name: /^Bench hours/ })
    .first()
    .click()
  await page.getByRole('button', { name: 'Copy to other places' }).click()
  const dialog = page.getByRole('dialog')
  await expect(dialog.getByRole('button', { name: 'Copy', exact: true })).toBeDisabled()
  await dialog.getByRole('checkbox', { name: 'Paper store' }).click()
  await expect(dialog.getByText('It is not there yet and will be added.')).toBeVisible()
  await dialog.getByRole('button', { name: 'Copy to 1 place' }).click()
  await expect(dialog.getByText('Copied into the draft of Paper store.')).toBeVisible()
  await dialog.getByRole('link', { name: 'Review and apply it there' }).click()
  await page.waitForURL(`${place.url}/places/paper-store/review`)
  await expect(page.getByText('Schedule “Bench hours” is new').first()).toBeVisible()

  await page.getByRole('link', { name: 'All places' }).click()
  await expect(page.getByRole('heading', { name: /^2 places, \d+ devices? blocked now\./ })).toBeVisible()
  await expect(page.getByRole('listitem').filter({ hasText: 'Paper store' })).toContainText('open now')
  await page.getByRole('searchbox', { name: 'Search all places' }).fill('bench')
  const found = page.getByRole('status').filter({ hasText: 'matches:' })
  await expect(found.getByText('schedule at Paper store')).toBeVisible()
  await expect(found.getByText('schedule at Saltmarsh Bindery')).toBeVisible()
  await found.getByRole('link', { name: 'Bench tablet' }).click()
  await page.waitForURL(`${place.url}/?device=bench-tablet`)
})

test('who may use one place sees nothing of the other, by any route', async ({ place }) => {
  const demo = await place.signIn()
  const id = await add(place, demo, 'Corner shop')
  const people = new Map<string, string>()
  for (const role of ['viewer', 'helper', 'editor', 'administrator']) {
    const group = await place.send('POST', `/api/places/${id}/groups`, {
      cookie: demo,
      body: { name: `Group ${role}`, note: '', members: [] },
    })
    const { id: made } = (await group.json()) as { id: string }
    const invited = await place.send('POST', `/api/places/${id}/invitations`, {
      cookie: demo,
      body: { role, limit: role === 'helper' ? { minutes: 30, groups: [made] } : null },
    })
    const { code } = (await invited.json()) as { code: string }
    const body = { code, name: `shop ${role}`, password: PASSWORD }
    const joined = await place.send('POST', `/api/places/${id}/join`, { body })
    people.set(role, joined.headers.get('set-cookie')!.split(';')[0]!)
  }
  const token = await place.send('POST', `/api/places/${id}/tokens`, {
    cookie: demo,
    body: { name: 'shop', role: 'administrator', days: 1 },
  })
  const authorization = `Bearer ${((await token.json()) as { token: string }).token}`
  const long = await longList(place, demo)
  // Words that only the first place has.
  const FOREIGN = /Saltmarsh|Bindery|bench-tablet|Lena|Winter schedules|longlist/
  for (const name of Object.keys(ROUTES)) {
    const need = needOf(name)
    if (['GET /api/events', 'DELETE /api/session', 'GET /api/openapi', 'GET /metrics'].includes(name))
      continue
    const [method, path] = name.replace('{id}', long).split(' ') as [string, string]
    const body = method === 'GET' ? undefined : {}
    for (const [who, cookie] of people) {
      for (const at of [path, path.replace('/api/', '/api/places/first/')]) {
        if (need === null) continue
        const answer = await place.send(method, at, { cookie, body })
        expect([who, method, at, answer.status, await answer.text()]).toEqual([
          who,
          method,
          at,
          403,
          expect.stringContaining('not-your-place'),
        ])
      }
      // Their own place answers with its own data.
      if (method !== 'GET') continue
      const own = await place.send('GET', path.replace('/api/', `/api/places/${id}/`), { cookie })
      expect([who, path, (await own.text()).match(FOREIGN)?.[0]]).toEqual([who, path, undefined])
    }
    if (need === null) continue
    const answer = await place.send(method, path, { headers: { authorization }, body })
    expect([name, answer.status]).toEqual([name, 401])
  }
  const cookie = people.get('administrator')!
  // Routes for all places are refused to the administrator of one.
  for (const name of Object.keys(ROUTES).filter((one) => ROUTES[one]!.first)) {
    const [method, path] = name.replace('{id}', id).split(' ') as [string, string]
    const own = await place.send(method, path.replace('/api/', `/api/places/${id}/`), {
      cookie,
      body: method === 'GET' ? undefined : {},
    })
    expect([name, own.status]).toEqual([name, 403])
  }
  // Nor can they take from a place by copying, or hear of it.
  const copy = { from: 'first', kind: 'schedule', ids: ['bench-hours'] }
  for (const path of ['copies', 'copies/review'])
    expect((await place.send('POST', `/api/places/${id}/${path}`, { cookie, body: copy })).status).toBe(403)
  expect((await place.send('GET', '/api/events', { cookie })).status).toBe(403)
  const page = await place.send('GET', '/rules', { cookie })
  expect([page.status, page.headers.get('location')]).toEqual([302, `/places/${id}/`])
  // A place that is not there is answered as one that is somebody else's.
  expect((await place.send('GET', '/api/places/nowhere/draft', { cookie })).status).toBe(403)
  expect((await place.send('GET', '/api/places/nowhere/draft')).status).toBe(401)
  const lost = await place.send('GET', '/places/nowhere/rules')
  expect([lost.status, lost.headers.get('location')]).toEqual([302, '/places/nowhere/sign-in?to=%2Frules'])
})

/** A long list at the first place, and the digest by which its sites can be asked for. */
async function longList(place: Place, cookie: string): Promise<string> {
  const entries = Array.from({ length: 600 }, (_, index) => `longlist-${index}.example`)
  await place.send('POST', '/api/site-lists', { cookie, body: { name: 'Long', note: '', entries } })
  const { parts } = (await (await place.send('GET', '/api/draft/parts', { cookie })).json()) as {
    parts: { siteLists: { long?: { digest: string } }[] }
  }
  const digest = parts.siteLists.find(({ long }) => long)!.long!.digest
  expect((await place.send('GET', `/api/sites/${digest}`, { cookie })).status).toBe(200)
  return digest
}

test('a place is removed after it was asked, and what happens there is heard there', async ({
  signedIn: page,
  place,
}) => {
  const cookie = await place.signIn()
  const id = await add(place, cookie, 'Market stall')
  await page.goto(`${place.url}/places/${id}/schedules`)
  await expect(page.getByRole('heading', { level: 1 })).toBeVisible()
  const { week, exceptions } = { week: 'Mo-Fr 08:00-09:00', exceptions: [] }
  const body = { name: 'Market day', week, exceptions, note: '' }
  expect((await place.send('POST', `/api/places/${id}/schedules`, { cookie, body })).status).toBe(200)
  await expect(page.getByRole('link', { name: /^Market day/ }).first()).toBeVisible()
  await page.goto(`${place.url}/places`)
  await page.getByRole('button', { name: 'Remove Market stall' }).click()
  await page.getByRole('button', { name: 'Remove Market stall for good' }).click()
  await expect(page.getByRole('link', { name: 'Market stall' })).toHaveCount(0)
  expect((await place.send('GET', `/api/places/${id}/draft`, { cookie })).status).toBe(403)
})

test('who is invited to a second place joins it with the account that they have', async ({
  browser,
  place,
}) => {
  const cookie = await place.signIn()
  const id = await add(place, cookie, 'Press room')
  const invited = async (at: string) => {
    const made = await place.send('POST', `${at}/invitations`, {
      cookie,
      body: { role: 'editor', limit: null },
    })
    return ((await made.json()) as { code: string }).code
  }
  const body = { code: await invited('/api'), name: 'Rosa', password: PASSWORD }
  await place.send('POST', '/api/join', { body })
  const context = await browser.newContext()
  try {
    const page = await context.newPage()
    await page.goto(`${place.url}/places/${id}/join#${await invited(`/api/places/${id}`)}`)
    await expect(page.getByRole('heading', { name: 'Join Press room' })).toBeVisible()
    await page.getByRole('checkbox', { name: 'I have an account here already' }).click()
    await page.getByLabel('Name').fill('Rosa')
    await page.getByLabel('Password').fill(PASSWORD)
    await page.getByRole('button', { name: 'Join' }).click()
    await page.waitForURL(`${place.url}/places/${id}/`)
    await choose(page, 'Place', 'Saltmarsh Bindery')
    await page.waitForURL(`${place.url}/`)
    await expect(page.getByRole('heading', { level: 1 })).toBeVisible()
  } finally {
    await context.close()
  }
})

test('a second gateway, a real program, is paired over TLS by a code typed on either side', async ({
  page,
}) => {
  // It is started again later, which the demo would begin anew.
  const place = await startPlace({})
  const setUp = { code: SETUP_CODE, name: 'demo', password: PASSWORD }
  const home = { name: 'Bindery', timeZone: 'Europe/Lisbon' }
  await place.send('POST', '/api/setup', { body: { ...setUp, place: home } })
  const cookie = await place.signIn()
  const [name, value] = cookie.split('=') as [string, string]
  await page.context().addCookies([{ name, value, url: place.url }])
  const trial = await place.send('PUT', '/api/gateway/trial', { cookie, body: { isOn: true } })
  expect(trial.status).toBe(200)
  const id = await add(place, cookie, 'Branch')
  const folder = mkdtempSync(join(tmpdir(), 'kairostat-branch-'))
  const address = `127.0.0.1:${await freePort()}`
  const program = ['bin/kairostat', 'gateway']
  const gateway: ChildProcess = spawn(
    process.execPath,
    [...program, '--dataplane', 'simulated', '--listen', `tls:${address}`, '--state', folder],
    { stdio: ['ignore', 'pipe', 'inherit'] },
  )
  let said = ''
  gateway.stdout!.on('data', (part: Buffer) => (said += part.toString()))
  const pair = (...code: string[]) =>
    spawnSync(process.execPath, [...program, 'pair', ...code, '--state', folder], { encoding: 'utf8' }).stdout
  try {
    await expect.poll(() => said).toContain('listens on')
    const shown = /Pairing code: (\S+)/.exec(said)![1]!
    await page.goto(`${place.url}/places/${id}/settings#connect`)
    const box = page.getByRole('group', { name: 'Pair a gateway by a code' })
    await box.getByLabel('Address of the gateway').fill(address)
    await box.getByLabel('Code that it shows').fill('AAAA-2222')
    await box.getByRole('button', { name: 'Pair', exact: true }).click()
    await expect(box.getByRole('alert')).toContainText('the gateway does not take this code')
    await box.getByLabel('Code that it shows').fill(shown.toLowerCase())
    await box.getByRole('button', { name: 'Pair', exact: true }).click()
    await expect(box.getByText(`The gateway at ${address} is paired.`)).toBeVisible()
    const stateOf = async (at: string) =>
      (await (await place.send('GET', `${at}/gateway`, { cookie })).json()) as {
        state: string
        status: { digest: string }
      }
    // A policy that is applied at the place arrives there, and nowhere else.
    const before = await stateOf('/api')
    const rename = { name: 'Branch office', timeZone: 'Europe/Lisbon' }
    await place.send('PUT', `/api/places/${id}/place`, { cookie, body: rename })
    await place.send('POST', `/api/places/${id}/revisions`, { cookie, body: { note: '' } })
    await expect.poll(async () => (await stateOf(`/api/places/${id}`)).state).toBe('in-force')
    expect((await stateOf('/api')).status.digest).toBe(before.status.digest)

    await box.getByRole('button', { name: 'Disconnect the gateway' }).click()
    await box.getByRole('button', { name: 'Disconnect it now' }).click()
    await box.getByLabel('Address of the gateway').fill(address)
    await box.getByRole('button', { name: 'Or show a code here and type it there' }).click()
    const command = await box.getByLabel('Command for the gateway', { exact: true }).innerText()
    expect(pair(/pair (\S+)/.exec(command)![1]!)).toContain('takes this code')
    await expect(box.getByText(`The gateway at ${address} is paired.`)).toBeVisible()
    await expect.poll(async () => (await stateOf(`/api/places/${id}`)).state).toBe('in-force')

    // The application that is started again reaches it by the secret that it was given.
    await place.kill()
    await place.start()
    await expect.poll(async () => (await stateOf(`/api/places/${id}`)).state).toBe('in-force')
    expect(pair()).toContain('Pairing code:')
  } finally {
    gateway.kill()
    await place.stop()
    rmSync(folder, { recursive: true, force: true })
  }
})
