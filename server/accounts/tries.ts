import * as stored from './account-sql.ts'
import type { Sql } from '../database/database.ts'
import { clientKey } from '../../node/client-key.ts'

/** Wrong passwords allowed within a quarter of an hour: of one client at one account, and of one client. */
export const TRIES = { minutes: 15, both: 5, address: 20 }

/**
 * Notes a try of the client at an address and answers how many there were at the account, wherever they came
 * from; `null`, and nothing noted, where the client has had its share.
 */
export const countTry = (sql: Sql, account: string, address: string): Promise<number | null> =>
  stored.countTry(sql, account, clientKey(address), TRIES)

/** Forgets the tries of a client at an account, after a right password. */
export const forgetTries = (sql: Sql, account: string, address: string): Promise<void> =>
  stored.forgetTries(sql, account, clientKey(address))
