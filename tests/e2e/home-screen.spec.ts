import { PASSWORD, startPlace } from '../support/place.ts'
import { expect, test } from './support/place.ts'

test('the app can be put on a home screen, and says there that Kairostat cannot be reached', async ({
  browser,
}) => {
  const place = await startPlace({ KAIROSTAT_DEMO: PASSWORD })
  const phone = await browser.newContext({
    viewport: { width: 390, height: 844 },
    hasTouch: true,
    isMobile: true,
  })
  try {
    const [name, value] = (await place.signIn()).split('=') as [string, string]
    await phone.addCookies([{ name, value, url: place.url }])
    const page = await phone.newPage()
    await page.goto(place.url)
    await expect(page.getByRole('heading', { level: 1 })).toContainText('Right now')
    const manifest = (await (await place.send('GET', '/manifest.webmanifest')).json()) as {
      start_url: string
      display: string
      icons: { src: string; sizes: string }[]
    }
    expect([manifest.start_url, manifest.display, manifest.icons.length]).toEqual(['/', 'standalone', 2])
    for (const { src, sizes } of manifest.icons) {
      // A PNG says its width in its first bytes.
      const icon = Buffer.from(await (await place.send('GET', src)).arrayBuffer())
      expect(`${icon.readUInt32BE(16)}x${icon.readUInt32BE(20)}`).toBe(sizes)
    }
    await expect
      .poll(() => page.evaluate(async () => (await navigator.serviceWorker.ready).active?.state))
      .toBe('activated')
    await place.kill()
    await page.goto(place.url).catch(() => {})
    await expect(page.getByRole('heading', { name: 'Kairostat cannot be reached' })).toBeVisible()
    // Nothing of what is blocked is told from memory.
    await expect(page.getByText('blocked')).toHaveCount(0)
    await place.start()
    await page.getByRole('link', { name: 'Try again' }).click()
    // A demo is made anew with each start, its sessions too.
    await expect(page.getByRole('heading', { name: 'Sign in' })).toBeVisible({ timeout: 30_000 })
  } finally {
    await phone.close()
    await place.stop()
  }
})
