import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { PROGRAM } from './bundle.mjs'
import { buildIfStale, installChromium, installPackages, prepareNetworks, root, run } from './prepare.mjs'

installPackages()
installChromium()
prepareNetworks([
  ['iperf3', 'iperf3'],
  ['dnsmasq', 'dnsmasq-base'],
  ['dnsperf', 'dnsperf'],
])
await buildIfStale()
const { build } = await import('esbuild')
const folder = mkdtempSync(`${tmpdir()}/kairostat-bench-`)
await build({
  entryPoints: {
    'bench': `${root}tests/bench/bench.ts`,
    'bench-names': `${root}tests/bench/names-server.ts`,
  },
  outdir: `${root}dist`,
  outExtension: { '.js': '.mjs' },
  ...PROGRAM,
  external: ['@playwright/test', ...PROGRAM.external],
})
process.exit(
  run(process.execPath, ['--expose-gc', `${root}dist/bench.mjs`, ...process.argv.slice(2)], {
    env: { BENCH_FOLDER: folder },
  })
    ? 0
    : 1,
)
