import { defineConfig } from 'vitest/config'
import { IS_LONG } from '../support/long.ts'
import { BASELINE_WASM } from '../support/wasm.ts'

// The tests that use the database, on a PostgreSQL server: the unit tests run the same on the embedded one.
export default defineConfig({
  test: {
    include: [
      'tests/database/*.test.ts',
      // Those in which the two differ most: transactions, places, what is live, backups.
      ...(IS_LONG
        ? ['server/**/*.test.ts']
        : ['server/{database,places,live}/*.test.ts', 'server/operations/backup.test.ts']),
    ],
    exclude: ['server/operations/data-folder.test.ts', 'server/database/growth.test.ts'],
    globalSetup: 'tests/database/server.ts',
    maxWorkers: 2,
    execArgv: [BASELINE_WASM],
    testTimeout: 60_000,
    hookTimeout: 60_000,
  },
})
