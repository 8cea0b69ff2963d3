import { KINDS, type EntryKind } from '../../core/policy/kinds.ts'
import type { Sql } from '../database/database.ts'
import { TABLES } from './order-sql.ts'

/**
 * The entries of the draft whose name or note holds a text, and devices by their address; so many at most.
 */
export function entriesLike(
  sql: Sql,
  text: string,
  limit: number,
): Promise<{ kind: EntryKind; id: string; name: string }[]> {
  const pattern = `%${text.replaceAll(/[\\%_]/g, '\\$&')}%`
  const parts = KINDS.map((kind) => {
    const byMac =
      kind === 'device' ? 'or exists (select from adapter where device_id = device.id and mac ilike $1)' : ''
    return `(select '${kind}' as kind, id, name from ${TABLES[kind]} where name ilike $1 or note ilike $1 ${byMac}
      order by position limit $2)`
  })
  return sql.query(`${parts.join(' union all ')} limit $2`, [pattern, limit])
}
