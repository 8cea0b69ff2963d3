import { spawn } from 'node:child_process'
import { closeSync, mkdtempSync, openSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { parseArgs } from 'node:util'
import { installChromium, installPackages, run, runPackage } from './prepare.mjs'

const {
  values: { 'without-network': withoutNetwork },
} = parseArgs({ options: { 'without-network': { type: 'boolean' } } })

/** The moments as at which the browser tests run, one after the other by the day of the month. */
const MOMENTS = [
  ['now', null],
  ['at noon of a weekday', '2026-12-02T12:00:00Z'],
  ['late on a Saturday', '2026-12-05T23:50:00Z'],
  ['in the morning in which clocks change', '2027-03-28T00:40:00Z'],
]
const [moment, testAt] = MOMENTS[new Date().getDate() % MOMENTS.length]
console.log(`The browser tests run as ${moment}${testAt ? ` (${testAt})` : ''}.`)
const reports = mkdtempSync(`${tmpdir()}/kairostat-test-`)
const counts = { passed: 0, failed: 0 }
/** The failures with their messages: they are printed again at the end, where they are seen. */
const failures = []

// Debian packages are installed beside those of the registry.
const system = withoutNetwork ? null : beside('system', ['scripts/test-system.mjs'])
installPackages()
if (system && (await system.ended) !== 0) {
  process.stderr.write(system.said())
  process.exit(1)
}
installChromium()

// It is emulated, so that it takes long: it goes on beside what is not timed.
const machine = withoutNetwork ? null : beside('machine', ['scripts/test-machine.mjs', reports])
step(
  'lint',
  () =>
    runPackage('nuxt/bin/nuxt.mjs', ['prepare'], { quiet: true }) &&
    runPackage('eslint/bin/eslint.js', ['.']),
)
step('directions of imports', () =>
  runPackage('dependency-cruiser/bin/dependency-cruise.mjs', [
    ...['core', 'protocol', 'node', 'cli', 'gateway', 'server', 'app'],
  ]),
)
step('type check', () => run(process.execPath, ['scripts/typecheck.mjs']))
step('build', () => run(process.execPath, ['scripts/build.mjs']))
if (machine) {
  const code = await machine.ended
  suite(
    'tests in a virtual machine',
    `${reports}/machine.json`,
    () => {
      process.stdout.write(machine.said())
      return code === 0
    },
    vitestCounts,
  )
}
suite(
  'unit tests',
  `${reports}/unit.json`,
  (file) =>
    runPackage('vitest/vitest.mjs', [
      'run',
      '--reporter=default',
      '--reporter=json',
      `--outputFile.json=${file}`,
    ]),
  vitestCounts,
)
if (withoutNetwork) console.log('\nThe tests with real packets and servers are left out, as was asked.')
else {
  suite(
    'tests of the database on PostgreSQL',
    `${reports}/database.json`,
    (file) =>
      runPackage('vitest/vitest.mjs', [
        'run',
        '--config',
        'tests/database/vitest.config.ts',
        '--reporter=default',
        '--reporter=json',
        `--outputFile.json=${file}`,
      ]),
    vitestCounts,
  )
  suite(
    'tests with real packets',
    `${reports}/network.json`,
    (file) =>
      runPackage('vitest/vitest.mjs', [
        'run',
        '--config',
        'tests/gateway/vitest.config.ts',
        '--reporter=default',
        '--reporter=json',
        `--outputFile.json=${file}`,
      ]),
    vitestCounts,
  )
}
browserTests('browser tests', testAt, withoutNetwork ? ['--grep-invert=@packets'] : [])
// The kernel goes by the machine's own clock.
if (testAt && !withoutNetwork) browserTests('browser tests with packets', null, ['--grep=@packets'])
step('a picture for the documents', () =>
  run(process.execPath, ['scripts/screenshots.mjs', '--only', 'rules', '--to', `${reports}/pictures`]),
)
if (!withoutNetwork) step('the bench in brief', () => run(process.execPath, ['scripts/bench.mjs', '--brief']))
for (const failure of failures) console.log(`\nFailed: ${failure.slice(0, 2000)}`)
console.log(
  `\n${counts.passed} passed, ${counts.failed} failed, in ${Math.round(performance.now() / 1000)} s`,
)
process.exit(counts.failed === 0 ? 0 : 1)

/** Says that a step begins, and how far into the run that is. */
function begin(name) {
  console.log(`\n— ${name} (after ${Math.round(performance.now() / 1000)} s)`)
}

/** A step that passes or fails as a whole. */
function step(name, work) {
  begin(name)
  if (work()) return
  counts.failed++
  failures.push(name)
  console.error(`${name}: failed`)
}

/** Begins a script beside what goes on, and keeps what it says. */
function beside(name, args) {
  const file = `${reports}/${name}.log`
  const log = openSync(file, 'w')
  const child = spawn(process.execPath, args, { stdio: ['ignore', log, log] })
  closeSync(log)
  const ended = new Promise((resolve) => child.once('exit', (code) => resolve(code ?? 1)))
  return { ended, said: () => readFileSync(file, 'utf8') }
}

/** The browser tests, or some of them, as at an instant; `null` = as it is. */
function browserTests(name, at, options) {
  suite(
    name,
    `${reports}/${name.replaceAll(' ', '-')}.json`,
    (file) =>
      runPackage('@playwright/test/cli.js', ['test', '--reporter=list,json', ...options], {
        env: { PLAYWRIGHT_JSON_OUTPUT_NAME: file, ...(at && { KAIROSTAT_TEST_AT: at }) },
      }),
    playwrightCounts,
  )
}

/** A suite whose report is counted; one that fails without a report, or runs nothing, fails. */
function suite(name, file, work, count) {
  begin(name)
  const fine = work(file)
  let found = { passed: 0, failed: 0, failures: [] }
  try {
    found = count(JSON.parse(readFileSync(file, 'utf8')))
  } catch (error) {
    console.error(`${name}: no report (${error.message})`)
  }
  counts.passed += found.passed
  counts.failed += found.failed
  failures.push(...found.failures.map((failure) => `${name}: ${failure}`))
  if ((!fine && found.failed === 0) || found.passed === 0) {
    counts.failed++
    failures.push(`${name}: ended without a test that failed, or ran none`)
  }
}

// A test that was skipped has not passed.
function vitestCounts({ numPassedTests, numTotalTests, testResults }) {
  const failures = testResults.flatMap((file) => [
    ...(file.message ? [`${file.name}\n${file.message}`] : []),
    ...file.assertionResults
      .filter(({ status }) => status !== 'passed')
      .map((test) => `${file.name}: ${test.fullName}\n${test.failureMessages.join('\n')}`),
  ])
  return { passed: numPassedTests, failed: numTotalTests - numPassedTests, failures }
}

function playwrightCounts({ suites, stats: { expected, unexpected, flaky, skipped } }) {
  const within = (suite) => [...suite.specs, ...(suite.suites ?? []).flatMap(within)]
  const failures = suites
    .flatMap(within)
    .flatMap((spec) => spec.tests.map((test) => ({ spec, test })))
    .filter(({ test }) => test.status !== 'expected')
    .map(({ spec, test }) => {
      const errors = test.results.flatMap((result) => result.errors)
      return `${spec.file}: ${spec.title}\n${errors.map((error) => error.message).join('\n')}`
    })
  return { passed: expected, failed: unexpected + flaky + skipped, failures }
}
