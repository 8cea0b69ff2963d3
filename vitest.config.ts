import { configDefaults, defineConfig } from 'vitest/config'
import { IS_LONG } from './tests/support/long.ts'
import { BASELINE_WASM } from './tests/support/wasm.ts'

export default defineConfig({
  test: {
    include: ['{core,protocol,node,cli,gateway,server,app,scripts}/**/*.test.ts', 'tests/unit/**/*.test.ts'],
    // Thirty days of a place, written one after the other, take a minute.
    exclude: [...configDefaults.exclude, ...(IS_LONG ? [] : ['server/database/growth.test.ts'])],
    globalSetup: 'scripts/empty-database.mjs',
    maxWorkers: 2,
    execArgv: [BASELINE_WASM],
    testTimeout: 60_000,
    hookTimeout: 60_000,
  },
})
