import { readFileSync } from 'node:fs'
import { basename, dirname, join } from 'node:path'
import { build } from 'esbuild'
import { bundleGateway, PROGRAM } from './bundle.mjs'
import { runInVm } from './vm.mjs'

// Runs the tests that need a whole kernel in a virtual machine; the report goes into the folder that is
// given.
const [report] = process.argv.slice(2)
const folder = dirname(report)
await bundleGateway()
// In the machine each file that is read and compiled takes long.
await build({
  ...PROGRAM,
  entryPoints: ['tests/kernel/kernel.test.ts'],
  outfile: 'dist/kernel/kernel.test.mjs',
  external: [...PROGRAM.external, 'vitest'],
})
const isFine = runInVm(
  [
    'node node_modules/vitest/vitest.mjs run --config tests/kernel/vitest.config.ts',
    `--reporter=default --reporter=json --outputFile.json=/tmp/out/${basename(report)} > /tmp/out/said 2>&1`,
  ].join(' '),
  folder,
  900,
)
process.stdout.write(readFileSync(join(folder, 'said'), 'utf8'))
process.exit(isFine ? 0 : 1)
