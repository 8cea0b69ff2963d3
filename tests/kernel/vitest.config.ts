import { defineConfig } from 'vitest/config'

// Real packets through a whole kernel, in a virtual machine that is emulated: all takes ten times as long.
export default defineConfig({
  // The one of the project leads to files that are made anew meanwhile.
  esbuild: { tsconfigRaw: '{}' },
  test: {
    include: ['tests/kernel/*.test.ts'],
    testTimeout: 300_000,
    hookTimeout: 300_000,
    fileParallelism: false,
  },
})
