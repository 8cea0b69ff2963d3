import { defineConfig } from 'vitest/config'

// Real packets in namespaces: needs the rights to make them.
export default defineConfig({ test: { include: ['tests/gateway/**/*.test.ts'], testTimeout: 60_000, hookTimeout: 60_000, fileParallelism: false } })
