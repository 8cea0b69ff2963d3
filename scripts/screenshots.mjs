import { mkdirSync, rmSync } from 'node:fs'
import { parseArgs } from 'node:util'
import { chromium } from '@playwright/test'
import { buildIfStale, installChromium, installPackages, root, serve } from './prepare.mjs'

// Takes the pictures of docs/screenshots anew, from a fresh demo, as of the Wednesday to come at 10:15;
// with --only
// the one of that name, with --to into another folder.
const {
  values: { only, to: folder },
} = parseArgs({
  options: { only: { type: 'string' }, to: { type: 'string', default: `${root}docs/screenshots` } },
})
installPackages()
installChromium()
await buildIfStale()
mkdirSync(folder, { recursive: true })
const password = 'a-demo-password'
const data = `${root}.data/screenshots`
rmSync(data, { recursive: true, force: true })
process.env.PORT ??= '3998'
const pagePort = '3999'
const { address, server } = await serve({
  data,
  env: { KAIROSTAT_DEMO: password, LOG_LEVEL: 'error', KAIROSTAT_SIMULATED_PAGE_PORT: pagePort },
})
const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? '/usr/bin/chromium',
  args: ['--no-sandbox', '--disable-gpu', '--disable-background-networking'],
})

const press = (name) => (page) => page.getByRole('link', { name }).first().click()
/** Two further places, of which one has a schedule of the first. */
async function addPlaces(page) {
  const post = (path, data) =>
    page.request.post(`${address}/api/${path}`, { data, headers: { origin: address } })
  for (const [name, timeZone] of [
    ['Second workshop', 'Europe/Lisbon'],
    ['Paper store', 'Europe/Madrid'],
  ])
    await post('places', { name, timeZone })
  await post('places/paper-store/copies', { from: 'first', kind: 'schedule', ids: ['bench-hours'] })
  await page.reload()
  await page.getByRole('searchbox').fill('bench')
  await page.getByText('schedule at Paper store').waitFor()
}
/** File, address, what is opened there, and how it is looked at. */
const PICTURES = [
  ['board', '/?device=press-laptop'],
  ['board-phone', '/', null, { viewport: { width: 390, height: 844 } }],
  ['devices', '/devices'],
  [
    'guest-pass',
    '/devices?guest=guest',
    async (page) => {
      await page.getByLabel('Wi-Fi name').fill('Bindery guests')
      await page.getByLabel('Wi-Fi password').fill('glue-pot-7')
      await page.getByRole('button', { name: 'Allow the next device' }).click()
    },
  ],
  [
    'networks',
    '/',
    async (page) => {
      await page.getByLabel('Sort by').selectOption('by network')
      await page.locator('[data-device="lena-phone"]').click()
    },
  ],
  ['schedules', '/schedules', press(/^Play hours/)],
  ['sites', '/sites', press(/^Reelbrook/)],
  ['rules', '/rules', press(/Quiet bench/)],
  ['review', '/review'],
  [
    'activity',
    '/activity',
    async (page) => {
      const usage = page.getByRole('region', { name: 'Usage' })
      await usage.getByRole('button', { name: '7 days' }).click()
      await page.waitForTimeout(1000)
      await usage.getByRole('listitem').first().getByRole('button').first().click()
    },
  ],
  ['history', '/history'],
  ['settings', '/settings/blocked-sites'],
  ['people', '/settings/people', (page) => page.getByRole('button', { name: 'Create a link' }).click()],
]
async function take([name, path, open, how]) {
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    timezoneId: 'Europe/Lisbon',
    reducedMotion: 'reduce',
    ...how,
  })
  await context.request.post(`${address}/api/session`, {
    data: { name: 'demo', password },
    headers: { origin: address },
  })
  const page = await context.newPage()
  await page.goto(address + path)
  await page.getByRole('heading', { level: 1 }).waitFor()
  if (!/^.(activity|history|settings|review|places)/.test(path)) {
    await page.keyboard.press('m')
    await page.getByLabel('A moment to look at').fill('wed 10:15')
    await page.keyboard.press('Enter')
  }
  await open?.(page)
  // Waits for the workers, and for the counts of the gateway.
  await page.waitForTimeout(path === '/activity' ? 6000 : 1200)
  await keep(page, name)
  await context.close()
}
async function keep(page, name) {
  const path = `${folder}/${name}.png`
  await page.screenshot({ path })
  console.log(path)
}
if (only !== undefined && !PICTURES.some(([name]) => name === only))
  await end(`--only is "${only}": say one of ${PICTURES.map(([name]) => name).join(', ')}.`)
for (const picture of PICTURES) if (only === undefined || picture[0] === only) await take(picture)
if (only !== undefined) await end()
const context = await browser.newContext({
  viewport: { width: 1280, height: 800 },
  timezoneId: 'Europe/Lisbon',
})
await context.request.post(`${address}/api/session`, {
  data: { name: 'demo', password },
  headers: { origin: address },
})
await context.request.put(`${address}/api/gateway/settings`, {
  data: {
    closedAddresses: false,
    page: { shown: true, words: 'Please ask at the front desk.' },
    lookups: { kept: true, days: 30, exempt: [] },
    localNames: [],
  },
  headers: { origin: address },
})
const page = await context.newPage()
await page.goto(`${address}/api/gateway/page?mac=02:5e:10:00:00:09&name=reelbrook.example`)
await keep(page, 'blocked-page')
await page.goto(`${address}/history/log`)
await page.getByText('Signed in').first().waitFor()
await keep(page, 'log')
const phone = await browser.newContext({
  viewport: { width: 390, height: 844 },
  locale: 'en-GB',
  timezoneId: 'Europe/Lisbon',
  storageState: await context.storageState(),
})
const device = await phone.newPage()
await device.goto(`http://02-5e-10-00-00-02.localhost:${pagePort}/`)
await keep(device, 'access')
await device.getByLabel(/^What for/).fill('the last chapter')
await device.getByRole('button', { name: 'Ask' }).click()
await device.goto(address)
await device.getByRole('region', { name: 'Requests for more time' }).waitFor()
await device.waitForTimeout(1500)
await keep(device, 'request-phone')
// With one place nothing of the others is seen: they come last.
await take(['places', '/places', addPlaces])
await end()

/** Ends browser, server and script; with a fault that is told. */
async function end(fault) {
  await browser.close()
  server.removeAllListeners('exit')
  server.kill('SIGTERM')
  await new Promise((resolve) => server.once('exit', resolve))
  rmSync(data, { recursive: true, force: true })
  if (fault) console.error(fault)
  process.exit(fault ? 1 : 0)
}
