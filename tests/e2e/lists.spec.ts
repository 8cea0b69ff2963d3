import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { expect, test } from './place.ts'

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
