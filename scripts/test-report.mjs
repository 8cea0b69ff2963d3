/** Counts the tests of a report of Vitest; one that was skipped has not passed. */
export function vitestCounts({ numPassedTests, numTotalTests, testResults }) {
  const failures = testResults.flatMap((file) => [
    ...(file.message ? [`${file.name}\n${file.message}`] : []),
    ...file.assertionResults
      .filter(({ status }) => status !== 'passed')
      .map((test) => `${file.name}: ${test.fullName}\n${test.failureMessages.join('\n')}`),
  ])
  return { passed: numPassedTests, failed: numTotalTests - numPassedTests, failures }
}

/** Counts the tests of a report of Playwright; one that was skipped, or passed the second time, has not passed. */
export function playwrightCounts({ suites, stats: { expected, unexpected, flaky, skipped } }) {
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
