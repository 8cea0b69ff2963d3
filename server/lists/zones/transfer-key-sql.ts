import { instant, type Sql } from '../../database/database.ts'

/** A key by which other DNS servers fetch live lists, without its secret; an instant in UTC. */
export interface TransferKey {
  readonly name: string
  readonly author: string
  readonly madeAt: string
}

/** Every key, the first made first. */
export function transferKeys(sql: Sql): Promise<TransferKey[]> {
  return sql.query<TransferKey>(
    `select name, author, ${instant('made_at')} as "madeAt" from transfer_key order by made_at, name`,
  )
}

/** Every key, as `algorithm:name:secret`. */
export async function transferSecrets(sql: Sql): Promise<string[]> {
  const rows = await sql.query<{ secret: string }>('select secret from transfer_key order by name')
  return rows.map(({ secret }) => secret)
}

/** Adds a key, `secret` as `algorithm:name:secret`; whether there was none of that name. */
export async function addTransferKey(
  sql: Sql,
  { name, secret, author }: { name: string; secret: string; author: string },
): Promise<boolean> {
  const added = await sql.query(
    'insert into transfer_key (name, secret, author) values ($1, $2, $3) on conflict do nothing returning name',
    [name, secret, author],
  )
  return added.length > 0
}

/** Deletes a key; whether there was one. */
export async function removeTransferKey(sql: Sql, name: string): Promise<boolean> {
  return (await sql.query('delete from transfer_key where name = $1 returning name', [name])).length > 0
}
