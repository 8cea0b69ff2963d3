import { MACS, startNetwork } from '../gateway/network.ts'
import { PASSWORD, startPlace } from '../support/place.ts'
import { expect, test } from './place.ts'

test(
  'a real router holds a device of its network to the policy, and the board shows what it dropped',
  { tag: '@packets' },
  async ({ page }) => {
    test.setTimeout(120_000)
    const network = await startNetwork()
    const place = await startPlace({
      KAIROSTAT_DEMO: PASSWORD,
      KAIROSTAT_GATEWAY: network.address,
      KAIROSTAT_GATEWAY_TOKEN: network.secret,
    })
    try {
      const cookie = await place.signIn()
      const [name, value] = cookie.split('=') as [string, string]
      await page.context().addCookies([{ name, value, url: place.url }])
      await page.goto(`${place.url}/devices`)
      await expect(page.getByText('up to date', { exact: false })).toBeVisible({ timeout: 20_000 })
      // The router saw it; it gets a name.
      const card = page.locator(`[data-mac="${MACS.A}"]`)
      await expect(card).toContainText('192.168.77.10')
      await card.getByLabel('Name', { exact: true }).fill('Stitching tablet')
      await card.getByRole('button', { name: 'Save' }).click()
      await expect(page.getByRole('link', { name: /^Stitching tablet/ })).toBeVisible()
      await place.send('POST', '/api/rules', {
        cookie,
        body: {
          name: 'Stitching stays inside',
          effect: 'block',
          who: { devices: ['stitching-tablet'] },
          what: { services: ['udp/7000'] },
          when: { always: true },
        },
      })
      await page.goto(`${place.url}/review`)
      await page.getByRole('button', { name: 'Apply changes' }).click()
      await expect(page.getByTestId('standing')).toContainText('Revision 2 is live since', {
        timeout: 20_000,
      })

      const times = () =>
        Promise.all(
          (['udp', 'tcp'] as const).map((mode) => network.probe('cliA', mode, 4, Date.now() + 1500)),
        )
      const [udp, tcp] = await times()
      expect([udp, tcp!.length > 0]).toEqual([[], true])
      await page.goto(`${place.url}/?device=stitching-tablet`)
      await expect(page.getByTestId('evidence')).toContainText(
        /Last drop \d+ s ago: udp:\/\/203\.0\.113\.10:7000\.\s+Since (?:[A-Z][a-z]+ )?\d\d:\d\d the gateway dropped [\d,]+ packets \([^)]+\) and passed [1-9]/,
      )

      // Without the application the router goes on.
      await place.kill()
      const [after, others] = await times()
      expect([after, others!.length > 0]).toEqual([[], true])
    } finally {
      await place.stop()
      await network.stop()
    }
  },
)
