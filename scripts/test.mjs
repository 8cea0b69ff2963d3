import { spawn } from 'node:child_process'
import {
  chmodSync,
  closeSync,
  existsSync,
  mkdtempSync,
  openSync,
  readFileSync,
  rmSync,
  statfsSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { parseArgs } from 'node:util'
import { give, installChromium, installPackages, root } from './prepare.mjs'
import { playwrightCounts, vitestCounts } from './test-report.mjs'

const {
  values: { 'without-network': withoutNetwork, 'long': isLong, 'at': chosenAt },
  positionals,
} = parseArgs({
  options: {
    'without-network': { type: 'boolean' },
    'long': { type: 'boolean' },
    'at': { type: 'string' },
  },
  allowPositionals: true,
})

/** The moments as at which the browser tests run, one after the other by the day of the month. */
const MOMENTS = [
  null,
  '2026-12-02T12:00:00Z', // noon of a weekday
  '2026-12-05T23:50:00Z', // late on a Saturday
  '2027-03-28T00:40:00Z', // the morning in which clocks change
]
const testAt = chosenAt ?? MOMENTS[new Date().getDate() % MOMENTS.length]

/** A part that passes or fails as a whole. */
const step = (...command) => ({ command })
/** A part whose tests are counted. */
const vitest = (...options) => ({
  command: ['node_modules/vitest/vitest.mjs', 'run', ...options, '--reporter=default', '--reporter=json'],
  reportOption: (file) => [`--outputFile.json=${file}`],
  count: vitestCounts,
})
const playwright = (at, ...options) => ({
  command: ['node_modules/@playwright/test/cli.js', 'test', '--reporter=list,json', ...options],
  env: (file) => ({ PLAYWRIGHT_JSON_OUTPUT_NAME: file, ...(at && { KAIROSTAT_TEST_AT: at }) }),
  count: playwrightCounts,
})

/** The folder of Linux whose files lie in memory. */
const MEMORY = '/dev/shm'

/** The parts, by their names. */
const PARTS = {
  'lint': step('node_modules/eslint/bin/eslint.js', '.'),
  'imports': step(
    'node_modules/dependency-cruiser/bin/dependency-cruise.mjs',
    ...['core', 'protocol', 'node', 'cli', 'gateway', 'server', 'app'],
  ),
  'types': step('scripts/typecheck.mjs'),
  'build': step('scripts/build.mjs'),
  'unit': vitest(),
  // Whole kernels are emulated, so that this takes long.
  'machine': {
    command: ['scripts/test-machine.mjs'],
    reportOption: (file) => [file],
    count: vitestCounts,
    needsNetwork: true,
  },
  'database': { ...vitest('--config', 'tests/database/vitest.config.ts'), needsNetwork: true },
  'packets': { ...vitest('--config', 'tests/gateway/vitest.config.ts'), needsNetwork: true },
  'browser': playwright(testAt, '--grep-invert=@packets'),
  // The kernel goes by the machine's own clock, and a network that comes or goes breaks pages of other tests.
  'browser-packets': { ...playwright(null, '--grep=@packets'), needsNetwork: true },
  'picture': step('scripts/screenshots.mjs', '--only', 'rules', '--to', `${tmpdir()}/kairostat-pictures`),
  'bench': { ...step('scripts/bench.mjs', '--brief'), needsNetwork: true },
}

/**
 * The parts that go beside each other: of each stage every lane at once, in a lane one part after the other.
 * A machine with more lanes than cores loses packets, and is not faster.
 */
const STAGES = [
  [['build', 'unit'], ['machine']],
  // Packets mostly wait, and leave one core to what computes.
  [['lint', 'imports', 'types', 'database'], ['packets']],
  [['browser', 'browser-packets']],
  [['picture', 'bench']],
]

const unknown = positionals.find((name) => !(name in PARTS))
if (unknown) give(`There is no part “${unknown}”: name ${Object.keys(PARTS).join(', ')}.`)
/** The parts that run the built application: the build goes before them. */
const NEED_BUILD = ['database', 'packets', 'browser', 'browser-packets', 'picture', 'bench']
const wanted = new Set(positionals.length === 0 ? Object.keys(PARTS) : positionals)
if (NEED_BUILD.some((name) => wanted.has(name))) wanted.add('build')
const isChosen = (name) => wanted.has(name) && !(withoutNetwork && PARTS[name].needsNetwork)

// Tests keep nothing: they write into memory where that has room, and wait for no disk.
if (memoryHasRoom()) {
  process.env.TMPDIR = mkdtempSync(`${MEMORY}/kairostat-test-`)
  // PostgreSQL and other programs run as users of their own.
  chmodSync(process.env.TMPDIR, 0o1777)
  process.once('exit', () => rmSync(process.env.TMPDIR, { recursive: true, force: true }))
  for (const signal of ['SIGINT', 'SIGTERM']) process.once(signal, () => process.exit(130))
}
const reports = mkdtempSync(`${tmpdir()}/kairostat-test-`)
const counts = { passed: 0, failed: 0 }
/** The failures with their messages: they are printed again at the end, where they are seen. */
const failures = []
/** The seconds that each part took. */
const times = {}
if (isLong) process.env.KAIROSTAT_TEST_LONG = '1'
console.log(`The browser tests run as ${testAt ? `at ${testAt}` : 'now'}.`)

// Debian packages are installed beside those of the registry.
const system = withoutNetwork ? null : ran(['scripts/test-system.mjs'])
installPackages()
if (system && (await system).code !== 0) give((await system).said)
installChromium()
const prepared = await ran(['node_modules/nuxt/bin/nuxt.mjs', 'prepare'])
if (prepared.code !== 0) give(prepared.said)

for (const lanes of STAGES) {
  const chosen = lanes.map((lane) => lane.filter(isChosen))
  await Promise.all(
    chosen.map(async (lane) => {
      for (const name of lane) await part(name)
    }),
  )
}
if (withoutNetwork) console.log('\nThe tests with real packets and servers are left out, as was asked.')
for (const failure of failures) console.log(`\nFailed: ${failure.slice(0, 2000)}`)
console.log(
  `\nSeconds: ${Object.entries(times)
    .map(([name, seconds]) => `${name} ${seconds}`)
    .join(', ')}`,
)
console.log(`${counts.passed} passed, ${counts.failed} failed, in ${Math.round(performance.now() / 1000)} s`)
process.exit(counts.failed === 0 ? 0 : 1)

/** Whether the folder in memory is there and has two gigabytes left. */
function memoryHasRoom() {
  if (!existsSync(MEMORY)) return false
  const { bavail, bsize } = statfsSync(MEMORY)
  return bavail * bsize > 2 ** 31
}

/** Runs a part, prints what it said, and counts its tests. */
async function part(name) {
  const { command, env = () => ({}), reportOption = () => [], count } = PARTS[name]
  const begun = performance.now()
  const report = `${reports}/${name}.json`
  const { code, said } = await ran([...command, ...reportOption(report)], env(report))
  times[name] = Math.round((performance.now() - begun) / 1000)
  console.log(`\n— ${name} (${times[name]} s)\n${said}`)
  if (!count) return code === 0 || fail(`${name}: failed`)
  let found = { passed: 0, failed: 0, failures: [] }
  try {
    found = count(JSON.parse(readFileSync(report, 'utf8')))
  } catch (error) {
    console.error(`${name}: no report (${error.message})`)
  }
  counts.passed += found.passed
  counts.failed += found.failed
  failures.push(...found.failures.map((failure) => `${name}: ${failure}`))
  // One that fails without a test that did, or runs nothing, fails.
  if ((code !== 0 && found.failed === 0) || found.passed === 0)
    fail(`${name}: ended without a test that failed, or ran none`)
}

function fail(failure) {
  counts.failed++
  failures.push(failure)
}

/** Runs a script or a program of an installed package to its end; answers how it ended, and what it said. */
async function ran(args, env = {}) {
  const file = `${reports}/${Math.random().toString(36).slice(2)}.log`
  const log = openSync(file, 'w')
  const child = spawn(process.execPath, args, {
    cwd: root,
    env: { ...process.env, ...env },
    stdio: ['ignore', log, log],
  })
  closeSync(log)
  const code = await new Promise((resolve) => child.once('exit', (code) => resolve(code ?? 1)))
  return { code, said: readFileSync(file, 'utf8') }
}
