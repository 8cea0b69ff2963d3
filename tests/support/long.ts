/**
 * Whether the tests run at their full length, as `npm run test:long` has them: it repeats laws by other ways
 * and with many more tries than `npm test` has time for.
 */
export const IS_LONG = process.env.KAIROSTAT_TEST_LONG === '1'
