import { spawnSync } from 'node:child_process'
import { existsSync, readFileSync } from 'node:fs'
import { join } from 'node:path'
import { MACS, startNetwork } from '../gateway/network.ts'
import { onSmallRouter } from '../gateway/small-router.ts'
import { ROUTER_PASSWORD } from '../gateway/ssh-server.ts'
import { PASSWORD, SETUP_CODE, startPlace } from '../support/place.ts'
import { choose, expect, test } from './support/place.ts'

test(
  'a real router holds a device of its network to the policy, and the board shows what it dropped',
  { tag: '@packets' },
  async ({ page }) => {
    test.setTimeout(240_000)
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
      // A refusal is shown in its place.
      const told = page.locator('[data-testid=standing], [role=alert]')
      await expect
        .poll(() => told.allInnerTexts(), { timeout: 60_000 })
        .toContainEqual(expect.stringContaining('Revision 2 is live since'))

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

test(
  'from nothing to the first dropped packet: a router with SSH is looked at, let in, connected, tried and let go',
  { tag: '@packets' },
  async ({ page }) => {
    test.setTimeout(180_000)
    const network = await startNetwork({ via: 'openssh', gateway: false })
    const ctl = network.namespaceOf('ctl')
    // The way of the browser to the application, which runs on a machine of that network.
    const ip = (...words: string[]) => {
      const { status, stderr } = spawnSync('ip', words, { encoding: 'utf8' })
      if (status !== 0) throw new Error(stderr)
    }
    ip('link', 'add', `${ctl}h`, 'type', 'veth', 'peer', 'name', 'host0', 'netns', ctl)
    ip('addr', 'add', '198.51.100.1/30', 'dev', `${ctl}h`)
    ip('link', 'set', `${ctl}h`, 'up')
    ip('-n', ctl, 'addr', 'add', '198.51.100.2/30', 'dev', 'host0')
    ip('-n', ctl, 'link', 'set', 'host0', 'up')
    const place = await startPlace({}, { within: ['ip', 'netns', 'exec', ctl], host: '198.51.100.2' }).catch(
      async (error: unknown) => {
        await network.stop()
        throw error
      },
    )
    try {
      await page.goto(place.url)
      await page.getByLabel('Set-up code').fill(SETUP_CODE)
      await page.getByLabel('Name', { exact: true }).fill('ada')
      await page.getByLabel('Password').fill('long enough it is')
      await page.getByLabel('Name of your network').fill('Our house')
      await page.getByRole('button', { name: 'Set up' }).click()
      await page.getByRole('link', { name: 'Connect a gateway' }).first().click()
      const router = page.getByRole('group', { name: 'A router with SSH' })
      await router.getByLabel('Address of the router').fill('192.168.77.1')
      await router.getByRole('button', { name: 'Look at it' }).click()
      await expect(router.getByText('192.168.77.1 does not know Kairostat yet.')).toBeVisible()
      // The command to run there, or the router's password, once.
      expect(await router.locator('pre').innerText()).toMatch(/line='ssh-ed25519 [\w+/=]+ kairostat'/)
      await router.getByLabel('Allow this key nothing else').check()
      expect(await router.locator('pre').innerText()).toMatch(/no-pty ssh-ed25519 [\w+/=]+ kairostat'/)
      const password = router.getByLabel('Password of the router')
      await password.fill('a wrong one')
      await router.getByRole('button', { name: 'Let Kairostat in' }).click()
      await expect(router.getByText('192.168.77.1 does not let root in with this password.')).toBeVisible()
      await expect(password).toHaveValue('')
      await password.fill(ROUTER_PASSWORD)
      await router.getByRole('button', { name: 'Let Kairostat in' }).click()
      await expect(router.getByText(/^Found: nftables v[\d.]+ .*ip utility/)).toBeVisible()
      await expect(router.getByText(/^Its host key is SHA256:/)).toBeVisible()
      await expect(router.getByLabel(/^br0 \(/)).toBeChecked()
      await expect(router.getByLabel(/^wan \(/)).not.toBeChecked()
      await router.getByRole('button', { name: 'Use this router' }).click()
      await expect(router.getByText(/^Connected to 192\.168\.77\.1,/)).toBeVisible({ timeout: 30_000 })

      // Nobody of the simulated network is left.
      const seen = (await (await page.request.get(`${place.url}/api/sightings`)).json()) as { mac: string }[]
      expect(seen.map(({ mac }) => mac).sort()).toEqual([MACS.A, MACS.B, '02:00:00:00:00:0c'])

      // A device of it is blocked for a minute, and what it sends is dropped.
      await choose(router, 'Device', MACS.A)
      await router.getByRole('button', { name: 'Block for a minute' }).click()
      await expect(router.getByText(/^02:00:00:00:00:0a is blocked for a minute\. Nothing/)).toBeVisible()
      await expect(async () => {
        expect(await network.probe('cliA', 'udp', 4, '+1500')).toEqual([])
      }).toPass({ timeout: 20_000 })
      expect((await network.probe('cliB', 'udp', 4, '+1500')).length).toBeGreaterThan(0)
      await expect(
        router.getByText(/is blocked for a minute: [\d,]+ packets dropped\. It works\./),
      ).toBeVisible({
        timeout: 20_000,
      })

      // The start-up file of the router is shown, and written there after a press.
      const startUp = router.getByRole('group', { name: 'When the router restarts' })
      await startUp.getByRole('button', { name: 'Show the start-up file…' }).click()
      await expect(startUp.getByText('nft -f /etc/kairostat/table.nft')).toBeVisible()
      const table = join(network.ssh!.root, 'etc/kairostat/table.nft')
      expect(existsSync(table)).toBe(false)
      // The key may not write it: that is done there.
      const write = startUp.getByRole('button', { name: 'Write it to the router' })
      await write.click()
      await expect(startUp.getByText('our key may not do this on 192.168.77.1')).toBeVisible()
      const command = await startUp.getByLabel('Commands for the router', { exact: true }).innerText()
      await network.run('rtr', 'unshare', '--mount', 'sh', '-c', onSmallRouter(network.ssh!.root, command))
      expect(existsSync(table)).toBe(false)
      await write.click()
      await expect(startUp.getByText(/^The router keeps the last rules/)).toBeVisible({ timeout: 20_000 })
      expect(readFileSync(table, 'utf8')).toContain('table inet kairostat')

      // The application comes back, and so does what it drives; then it is let go.
      await place.kill()
      await place.start()
      await page.reload()
      await expect(router.getByText(/^Connected to/)).toBeVisible({ timeout: 30_000 })
      await router.getByRole('button', { name: 'Disconnect…' }).click()
      await router.getByRole('button', { name: 'Disconnect: nothing is blocked any more' }).click()
      await expect(router.getByRole('button', { name: 'Look at it' })).toBeVisible({ timeout: 20_000 })
      expect(await network.run('rtr', 'nft', 'list', 'tables')).not.toContain('kairostat')
      expect([existsSync(table), existsSync(join(network.ssh!.root, 'etc/init.d/S10kairostat'))]).toEqual([
        false,
        false,
      ])
    } finally {
      await place.stop()
      await network.stop()
    }
  },
)
