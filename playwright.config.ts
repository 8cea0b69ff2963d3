import { existsSync } from 'node:fs'
import { defineConfig } from '@playwright/test'

export default defineConfig({
  testDir: 'tests/e2e',
  timeout: 120_000,
  expect: { timeout: 20_000 },
  // Each has a place of its own, and both cores something to do.
  workers: 2,
  forbidOnly: true,
  use: {
    viewport: { width: 1280, height: 800 },
    locale: 'en-GB',
    timezoneId: 'Europe/Lisbon',
    // A trace makes all a quarter slower: --trace=retain-on-failure has one.
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath:
        process.env.CHROMIUM ?? ['/usr/bin/chromium-headless-shell', '/usr/bin/chromium'].find(existsSync),
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
      ],
    },
  },
})
