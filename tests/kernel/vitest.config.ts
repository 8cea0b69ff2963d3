import { defineConfig } from 'vitest/config'

// Real packets through a whole kernel, in a virtual machine that is emulated: all takes ten times as long.
export default defineConfig({
  test: {
    // scripts/test-machine.mjs bundles the tests.
    include: ['dist/kernel/*.test.mjs'],
    testTimeout: 300_000,
    hookTimeout: 300_000,
    fileParallelism: false,
  },
})
