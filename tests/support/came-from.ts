import type { Origin } from '../../server/accounts/account-sql.ts'

/** Returns the origin of a session that begins at an address. */
export const cameFrom = (address: string): Origin => ({ address, browser: 'a browser' })
