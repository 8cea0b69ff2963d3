import { defineConfig } from 'vitest/config'

// Real packets in namespaces: needs the rights to make them. They mostly wait, and each file has a network of
// its own.
export default defineConfig({
  test: { include: ['tests/gateway/**/*.test.ts'], testTimeout: 60_000, hookTimeout: 60_000, maxWorkers: 2 },
})
