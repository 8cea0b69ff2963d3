import { randomBytes } from 'node:crypto'
import type { Sql } from '../../database/database.ts'
import { addTransferKey, removeTransferKey } from './transfer-key-sql.ts'
import { record } from '../../accounts/audit.ts'
import { ApiError } from '../../errors.ts'

export { transferKeys } from './transfer-key-sql.ts'

const ALGORITHM = 'hmac-sha256'

/**
 * Makes a key by which a DNS server fetches live lists (TSIG); the secret is told this once.
 *
 * @throws ApiError `not-possible` where there is one of that name
 */
export function makeTransferKey(
  sql: Sql,
  name: string,
  author: string,
): Promise<{ algorithm: string; secret: string }> {
  const secret = randomBytes(32).toString('base64')
  return sql.transaction(async (tx) => {
    if (!(await addTransferKey(tx, { name, secret: `${ALGORITHM}:${name}:${secret}`, author })))
      throw new ApiError('not-possible', '', [
        { path: 'name', message: `is the name of a key already: delete ${name}, or choose another name` },
      ])
    await record(tx, 'settings', `Key for zone transfers created: ${name}`)
    return { algorithm: ALGORITHM, secret }
  })
}

/**
 * Deletes a key.
 *
 * @throws ApiError `not-found`
 */
export async function deleteTransferKey(sql: Sql, name: string): Promise<void> {
  await sql.transaction(async (tx) => {
    if (!(await removeTransferKey(tx, name))) throw new ApiError('not-found', 'That key was deleted already.')
    await record(tx, 'settings', `Key for zone transfers deleted: ${name}`)
  })
}
