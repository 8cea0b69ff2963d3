import { startPostgres } from '../support/postgres.ts'

/** Starts the server on which the suite runs, and says where it is. */
export default async function setup(): Promise<() => Promise<void>> {
  const server = await startPostgres()
  process.env.KAIROSTAT_TEST_POSTGRES = server.url
  return () => server.stop()
}
