import type { Origin } from '../../server/accounts/account-sql.ts'

/** Where a session comes from that begins at an address. */
export const cameFrom = (address: string): Origin => ({ address, browser: 'a browser' })
