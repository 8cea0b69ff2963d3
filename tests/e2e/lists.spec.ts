import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { expect, test } from './support/place.ts'

test.use({ only: 'lists' })

test('a list is refreshed from its address, and refused by itself because it shrank by half', async ({
  signedIn: page,
  place,
}) => {
  let sites = ['clipriver.example', 'reelbrook.example', 'streamcove.example', 'vidmeadow.example']
  const server = createServer((_, response) => response.end(sites.join('\n')))
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}/video.txt`

  await page.goto(`${place.url}/sites`)
  await page.getByRole('button', { name: 'New list' }).click()
  await page.getByLabel('Name', { exact: true }).fill('Video from afar')
  await page.getByLabel('Sites, one per line', { exact: false }).fill('clipriver.example')
  await page.getByRole('button', { name: 'Save' }).click()
  await page.getByRole('link', { name: /^Video from afar/ }).click()
  const source = page.getByRole('region', { name: 'Source' })
  await source.getByRole('button', { name: 'Refresh it from an address' }).click()
  await source.getByLabel('Address of the list').fill('nowhere')
  await source.getByRole('button', { name: 'Save and refresh' }).click()
  await expect(source.getByRole('alert')).toContainText('is not an address')
  await source.getByLabel('Address of the list').fill(url)
  await source.getByLabel('Review changes above (%)').fill('40')
  await source.getByRole('button', { name: 'Save and refresh' }).click()

  // It grew by much: that is looked at, and used.
  await expect(source.getByRole('status')).toContainText('A refresh waits for review (+3, −0).')
  await expect(source.getByRole('status')).toContainText('It would grow by 3 sites from 1, more than 40%.')
  await source.getByRole('button', { name: 'Use it' }).click()
  await expect(page.getByText('4 sites from its source.')).toBeVisible()
  await expect(source).toContainText(': +3, −0.')

  // A little more comes by itself.
  sites = [...sites, 'watchfen.example']
  await source.getByRole('button', { name: 'Refresh now' }).click()
  await expect(source).toContainText(': +1, −0.')
  await expect(page.getByText('5 sites from its source.')).toBeVisible()

  // Half of it gone waits; the last good list stays.
  sites = sites.slice(0, 2)
  await source.getByRole('button', { name: 'Refresh now' }).click()
  await expect(source.getByRole('status')).toContainText('It would lose 3 of 5 sites, more than 40%.')
  await expect(source.getByRole('status')).toContainText('− streamcove.example')
  await expect(page.getByText('5 sites from its source.')).toBeVisible()
  await source.getByRole('button', { name: 'Decline' }).click()
  await expect(source.getByRole('status')).toHaveCount(0)
  await source.getByRole('button', { name: 'Refresh now' }).click()
  await expect(source.getByRole('status')).toHaveCount(0)

  // A server that is away is said so.
  await new Promise((resolve) => server.close(resolve))
  server.closeAllConnections()
  await source.getByRole('button', { name: 'Refresh now' }).click()
  await expect(source.getByRole('alert')).toContainText('Not refreshed, the last good list stays')
  await expect(page.getByRole('link', { name: /^Video from afar.*not refreshed/ })).toBeVisible()
})

test('a live list is given to others by an address with a token, and is the source of a list there', async ({
  place,
}) => {
  const cookie = await place.signIn()
  const { token } = (await (
    await place.send('POST', '/api/tokens', { cookie, body: { name: 'lists', role: 'viewer', days: 30 } })
  ).json()) as { token: string }
  const path = '/api/site-lists/reference/file'
  const file = await fetch(`${place.url}${path}?token=${token}`)
  expect([file.status, await file.text()]).toEqual([200, 'paperwiki.example\nsuppliers.example\n'])
  const tag = file.headers.get('etag')!
  const statuses = await Promise.all([
    fetch(`${place.url}${path}?token=${token}`, { headers: { 'if-none-match': tag } }),
    fetch(`${place.url}${path}`, { headers: { authorization: `Bearer ${token}` } }),
    fetch(`${place.url}${path}?format=hosts&token=${token}`),
    fetch(`${place.url}${path}?format=other&token=${token}`),
    fetch(`${place.url}${path}?token=wrong`),
    fetch(`${place.url}${path}`),
    fetch(`${place.url}/api/site-lists/gone/file?token=${token}`),
    // Nothing else is reached with a token in its address.
    fetch(`${place.url}/api/live?token=${token}`),
  ])
  expect(statuses.map(({ status }) => status)).toEqual([304, 200, 200, 400, 401, 401, 404, 401])
  expect(await statuses[2]!.text()).toBe('0.0.0.0 paperwiki.example\n0.0.0.0 suppliers.example\n')

  const made = await place.send('POST', '/api/site-lists', { cookie, body: { name: 'Copied', entries: [] } })
  const { id } = (await made.json()) as { id: string }
  const source = { url: `${place.url}${path}?token=${token}`, hours: 24, share: 100, inside: false }
  expect((await place.send('PUT', `/api/site-lists/${id}/source`, { cookie, body: source })).status).toBe(200)
  // A rule allows these: that is looked at first.
  const review = { cookie, body: { use: true } }
  expect((await place.send('POST', `/api/site-lists/${id}/review`, review)).status).toBe(200)
  const draft = (await (await place.send('GET', '/api/draft', { cookie })).json()) as {
    siteLists: { id: string; entries: string[] }[]
  }
  expect(draft.siteLists.find((list) => list.id === id)!.entries).toEqual([
    'paperwiki.example',
    'suppliers.example',
  ])
  const log = await (await place.send('GET', '/api/audit', { cookie })).text()
  expect([log.includes('Copied'), log.includes(token)]).toEqual([true, false])
})
