import { expect, test } from './support/place.ts'

test.use({ only: 'menus' })

/** Every page, and those on which something is opened that has menus of its own. */
const PAGES = [
  '/',
  '/?device=press-laptop',
  '/devices',
  '/devices/press-laptop',
  '/devices?guest=guest',
  '/schedules',
  '/schedules/school-nights',
  '/sites',
  '/sites?new=list',
  '/rules',
  '/rules/quiet-bench',
  '/activity',
  '/history',
  '/history/log',
  '/settings/place',
  '/settings/blocked-sites',
  '/settings/people',
  '/settings/programs',
  '/review',
  '/places',
  '/help',
]

test('every menu of every page opens, and each of its first choices can be chosen', async ({
  signedIn: page,
  place,
}) => {
  test.setTimeout(300_000)
  const faults: string[] = []
  page.on('pageerror', (error) => faults.push(`${page.url()}: ${error.message}`))
  let opened = 0
  for (const path of PAGES) {
    await page.goto(place.url + path)
    await page.getByRole('heading', { level: 1 }).first().waitFor()
    const menus = page.locator(
      'main button:is([aria-haspopup=listbox], [aria-haspopup=menu], [role=combobox])',
    )
    for (let index = 0; index < (await menus.count()); index++) {
      const menu = menus.nth(index)
      if (!(await menu.isVisible()) || !(await menu.isEnabled())) continue
      const label = (await menu.getAttribute('aria-label')) ?? (await menu.innerText())
      await menu.click()
      const choices = page.locator('[role=option], [role=menuitem]')
      await expect(choices.first(), `${path}: ${label}`).toBeVisible()
      opened++
      // Choose another value: leaving the page undoes it.
      let mayClose = (await menu.getAttribute('aria-haspopup')) === 'menu'
      if (!mayClose) await choices.last().click()
      // Escape closes what stays open, and nothing else: on a form that was edited it would ask whether to
      // leave.
      await expect(async () => {
        if (mayClose && (await choices.first().isVisible())) await page.keyboard.press('Escape')
        mayClose = true
        await expect(choices.first(), `${path}: ${label}`).toBeHidden({ timeout: 1000 })
      }).toPass()
      await expect(page.getByRole('heading', { level: 1 }).first(), `${path}: ${label}`).toBeVisible()
      if (!page.url().startsWith(place.url + path.split('?')[0])) break
    }
  }
  expect(faults).toEqual([])
  expect(opened).toBeGreaterThan(40)
})
