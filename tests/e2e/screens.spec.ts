import AxeBuilder from '@axe-core/playwright'
import type { Page } from '@playwright/test'
import { layoutFaults, shiftsOf, watchShifts } from './support/layout.ts'
import { expect, openPage, test } from './support/place.ts'

// They take longest: each on the worker that is free.
test.describe.configure({ mode: 'parallel' })

/** Pages with what can be opened on them. */
const OPENED: readonly [path: string, open: (page: Page) => Promise<void>][] = [
  [
    '/devices',
    async (page) => {
      await page.getByRole('button', { name: 'Import addresses' }).click()
      await page
        .getByLabel(/^Paste the output/)
        .fill('02:5e:40:00:00:01 Till\nnothing\n02:5e:10:00:00:05 Card')
      await page.getByText(/Read as/).waitFor()
      await page.getByRole('link', { name: /^Ledger laptop/ }).click()
      await page.getByLabel('Select Hall radio').check()
    },
  ],
  [
    '/schedules',
    async (page) => {
      await page.getByRole('link', { name: /^School nights/ }).click()
      await page.getByRole('button', { name: 'Delete', exact: true }).click()
      await page.getByLabel('Replacement').waitFor()
    },
  ],
  [
    '/rules',
    async (page) => {
      await page.getByRole('button', { name: /warning/ }).click()
      await page.getByRole('button', { name: 'Dismiss…' }).first().click()
      await page.getByRole('link', { name: /No video or games/ }).click()
    },
  ],
  [
    '/sites',
    async (page) => {
      await page.getByLabel('Look up a site or address').fill('reelbrook.example')
      await page.getByRole('link', { name: /^Reelbrook/ }).click()
      await page
        .getByRole('list', { name: 'video apps' })
        .getByRole('button', { name: 'What it covers' })
        .click()
      await page
        .getByText('Similar names are not covered:')
        .or(page.getByText('A similar name is not covered:'))
        .first()
        .waitFor()
      await page.getByLabel('Import apps').setInputFiles({
        name: 'apps.yaml',
        mimeType: 'application/yaml',
        buffer: Buffer.from(
          'kairostat-apps: 1\napps:\n  - { name: Marblerun, category: games, sites: [marblerun.example] }',
        ),
      })
      await page.getByRole('group', { name: 'What apps.yaml holds' }).waitFor()
      await page.getByRole('button', { name: 'Learn an app' }).click()
      await page.getByLabel('The device to watch').click()
      await page.getByRole('option', { name: 'Marta’s phone', exact: true }).click()
      await page.getByRole('button', { name: 'Start watching' }).click()
      await page.getByRole('button', { name: 'Marblerun', exact: true }).click()
      // Once it has used the app, that is what it looks up anyway.
      await page
        .getByRole('list', { name: 'Names it does not usually look up' })
        .or(page.getByText(/usual names?$/))
        .first()
        .waitFor({ timeout: 20_000 })
    },
  ],
  [
    '/',
    async (page) => {
      await page.getByRole('button', { name: 'Search or do' }).click()
      await page.getByRole('combobox', { name: 'Search or do' }).fill('block office desktop 30 min')
      await page.keyboard.press('Enter')
      await page.getByText('Press Enter again to block it.').waitFor()
    },
  ],
  [
    '/',
    async (page) => {
      await page.locator('[data-device="hall-radio"]').focus()
      await page.keyboard.press('?')
      await page.getByRole('dialog', { name: 'Keys' }).waitFor()
    },
  ],
  [
    '/history',
    async (page) => {
      await page.getByRole('button', { expanded: false, name: /^\d+ / }).first().click()
      await page.getByRole('button', { name: 'Compare with draft' }).click()
    },
  ],
]
/** Pages as one comes to them, where no editor shows them besides. */
const PAGES = [
  '/',
  '/?device=press-laptop',
  '/devices',
  '/schedules',
  '/sites',
  '/rules',
  '/rules/quiet-bench',
  '/review',
  '/activity',
  '/history',
  '/settings',
  '/settings/gateway',
  '/settings/blocked-sites',
  '/settings/usage',
  '/settings/people',
  '/settings/notices',
  '/settings/account',
  '/settings/programs',
  '/help',
  '/join',
]

for (const [width, height] of [
  [1280, 800],
  [390, 844],
] as const) {
  test(`axe finds nothing in either theme, and nothing overlaps, is cut off, moves by itself or scrolls sideways: ${width} pixels wide`, async ({
    signedIn: page,
    place,
  }) => {
    // A dozen screens are looked through, each in full.
    test.setTimeout(480_000)
    const broken: string[] = []
    page.on('pageerror', (error) => broken.push(error.message))
    // Deleting an entry in use is refused with 409, which the browser puts into its log by itself.
    page.on(
      'console',
      (message) =>
        message.type() === 'error' && !message.text().includes('409') && broken.push(message.text()),
    )
    await page.setViewportSize({ width, height })
    await watchShifts(page)
    const violations = async (theme: 'light' | 'dark', rules: readonly string[]) => {
      await page.emulateMedia({ colorScheme: theme, reducedMotion: 'reduce' })
      await expect(page.locator(`html.${theme}`)).toBeAttached()
      // Rows are alike: the first of a long list stand for all. Without frames there is nothing for a second
      // page to do.
      const axe = new AxeBuilder({ page })
        .exclude(':is(li, tr, [data-index]):nth-child(n + 20)')
        .setLegacyMode()
        .options({ resultTypes: ['violations'] })
      const found = await (rules.length === 0 ? axe : axe.withRules([...rules])).analyze()
      return found.violations.map(
        ({ id, nodes }) =>
          `${theme} ${id}: ${nodes
            .map((node) => node.html)
            .join(' | ')
            .slice(0, 400)}`,
      )
    }
    /** Puts bars that stay in sight into the page's flow, where they cover no part of a button; there is no way back. */
    const unpinBars = () =>
      page.evaluate(() => {
        for (const element of document.querySelectorAll<HTMLElement>('body *'))
          if (['fixed', 'sticky'].includes(getComputedStyle(element).position))
            Object.assign(element.style, { position: 'relative', inset: 'auto' })
      })
    const faults: string[] = []
    for (const [path, open] of [...PAGES.map((path): [string, null] => [path, null]), ...OPENED]) {
      await page.emulateMedia({ colorScheme: 'light', reducedMotion: 'reduce' })
      await page.goto(place.url + path)
      await expect(page.getByRole('heading', { level: 1 })).toBeVisible()
      await page.waitForLoadState('load')
      await expect(page.getByRole('status').getByText('Loading…', { exact: true })).toHaveCount(0)
      const found = open ? [] : [...(await shiftsOf(page)), ...(await layoutFaults(page, width < 760))]
      await open?.(page)
      expect([path, await page.evaluate(() => document.documentElement.scrollWidth <= innerWidth)]).toEqual([
        path,
        true,
      ])
      // Where more is opened of a page afterwards, the light theme is looked at then. What the theme changes is
      // colours alone, what the width changes is sizes and what lies on what.
      if (width === 390) {
        await unpinBars()
        found.push(...(await violations('light', ['color-contrast', 'target-size'])))
      } else {
        if (open || !OPENED.some(([other]) => other === path)) found.push(...(await violations('light', [])))
        if (!open) found.push(...(await violations('dark', ['color-contrast'])))
      }
      faults.push(...found.map((fault) => `${path} ${fault}`))
    }
    expect(faults).toEqual([])
    expect(broken).toEqual([])
  })
}

test('the needle moves by keyboard, by hand and by words, and every screen follows', async ({
  signedIn: page,
  place,
}) => {
  await page.goto(place.url)
  const needle = page.getByRole('slider', { name: /The moment shown/ })
  await needle.focus()
  const at = async () => Number(await needle.getAttribute('aria-valuenow'))
  await page.keyboard.press('ArrowRight')
  const first = await at()
  expect(first % 900).toBe(0)
  await page.keyboard.press('ArrowRight')
  expect(await at()).toBe(first + 900)
  await page.keyboard.press('PageUp')
  expect(await at()).toBe(first + 900 + 86_400)
  await page.keyboard.press('n')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('Right now')

  const { x, y, width } = (await needle.boundingBox())!
  await page.mouse.move(x + width * 0.3, y + 30)
  await page.mouse.down()
  await page.mouse.move(x + width * 0.5, y + 30)
  await page.mouse.up()
  const [low, high] = [
    Number(await needle.getAttribute('aria-valuemin')),
    Number(await needle.getAttribute('aria-valuemax')),
  ]
  expect(Math.abs((await at()) - (low + high) / 2)).toBeLessThan(3600)

  await page.keyboard.press('m')
  await page.getByLabel('A moment to look at').fill('soonish')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('alert')).toContainText('Write it like')
  await page.getByLabel('A moment to look at').fill('wed 10:15')
  await page.keyboard.press('Enter')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('at 10:15')
  await openPage(page, 'Rules')
  await expect(page.getByRole('heading', { level: 1 })).toContainText('At that moment')
  await expect(page.getByText('No video or games at work · active')).toBeVisible()
})

test('an override counts at once, shows its end, and is lifted', async ({ signedIn: page, place }) => {
  await page.goto(`${place.url}/?device=tide-clock`)
  await expect(page.getByTestId('sentence')).toContainText('Allowed')
  await page.getByRole('button', { name: 'Block for 30 min' }).click()
  await expect(page.getByTestId('sentence')).toContainText('Blocked since')
  await expect(page.getByTestId('sentence')).toContainText('by an override')
  await expect(page.locator('[data-device="tide-clock"]')).toContainText('blocked until')
  // Overrides count whole seconds: one that is lifted in the second in which it was made leaves no trace.
  await page.waitForTimeout(1500)
  await page.getByRole('button', { name: 'End override now' }).click()
  await expect(page.getByTestId('sentence')).toHaveText(/^Allowed since .*\. No rule applies to it\.$/)
})
