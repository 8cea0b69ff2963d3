import { existsSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { defineConfig } from '@playwright/test'
import { IS_LONG } from './tests/support/long.ts'
import { CHROMIUM_ARGS } from './tests/support/chromium.ts'

// KAIROSTAT_TEST_AT=2027-03-28T00:40:00Z runs the tests as at that time: here, in the application, and in the pages.
const { KAIROSTAT_TEST_AT: at, KAIROSTAT_TEST_AHEAD_MS: known } = process.env
if (at && !known) {
  const aheadMs = Date.parse(at) - Date.now()
  if (Number.isNaN(aheadMs))
    throw new Error(`KAIROSTAT_TEST_AT is "${at}": write an instant such as 2027-03-28T00:40:00Z.`)
  const shift = fileURLToPath(new URL('tests/support/clock-ahead.mjs', import.meta.url))
  process.env.KAIROSTAT_TEST_AHEAD_MS = String(aheadMs)
  process.env.NODE_OPTIONS = `${process.env.NODE_OPTIONS ?? ''} --import=${shift}`
}

export default defineConfig({
  testDir: 'tests/e2e',
  // Every menu of every page is opened.
  testIgnore: IS_LONG ? [] : ['**/menus.spec.ts'],
  timeout: 120_000,
  expect: { timeout: 20_000 },
  // Each has a place of its own, and both cores something to do: a third makes nothing faster.
  workers: 2,
  forbidOnly: true,
  // The kernel goes by the machine's own clock.
  ...(at ? { grepInvert: /@packets/ } : {}),
  use: {
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    timezoneId: 'Europe/Lisbon',
    // A trace makes all a quarter slower: --trace=retain-on-failure has one.
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath:
        process.env.CHROMIUM ?? ['/usr/bin/chromium-headless-shell', '/usr/bin/chromium'].find(existsSync),
      args: CHROMIUM_ARGS,
    },
  },
})
