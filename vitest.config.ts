import { defineConfig } from 'vitest/config'

export default defineConfig({
  test: {
    include: ['{core,protocol,node,cli,gateway,server,app,scripts}/**/*.test.ts', 'tests/unit/**/*.test.ts'],
    globalSetup: 'scripts/empty-database.mjs',
    maxWorkers: 2,
    testTimeout: 60_000,
    hookTimeout: 60_000,
  },
})
