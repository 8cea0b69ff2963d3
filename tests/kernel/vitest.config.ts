import { defineConfig } from 'vitest/config'

// Real packets through a whole kernel, in a virtual machine that is emulated: all takes ten times as long.
export default defineConfig({
  test: {
    include: ['tests/kernel/*.test.ts'],
    testTimeout: 180_000,
    hookTimeout: 180_000,
    fileParallelism: false,
  },
})
