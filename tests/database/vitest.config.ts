import { defineConfig } from 'vitest/config'

// The tests that use the database, on a PostgreSQL server: the unit tests run the same on the embedded one.
export default defineConfig({
  test: {
    include: ['server/**/*.test.ts', 'tests/database/*.test.ts'],
    exclude: ['server/operations/data-folder.test.ts'],
    globalSetup: 'tests/database/server.ts',
    maxWorkers: 2,
    testTimeout: 60_000,
    hookTimeout: 60_000,
  },
})
