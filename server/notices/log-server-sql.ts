import type { LogServer, LogServerAnswer } from '../../protocol/syslog.ts'
import type { AuditEntry } from '../../protocol/audit.ts'
import { instant, type Sql } from '../database/database.ts'

/** Every log server, the first added first. */
export function logServers(sql: Sql): Promise<LogServerAnswer[]> {
  return sql.query<LogServerAnswer>(
    'select id, host, port, transport, authority, kinds, author, trouble from log_server order by made_at, id',
  )
}

/** Adds a log server; it is told what is written into the audit log from now on. */
export async function addLogServer(
  sql: Sql,
  { host, port, transport, authority, kinds }: LogServer,
  { id, author }: { readonly id: string; readonly author: string },
): Promise<void> {
  await sql.query(
    `insert into log_server (id, host, port, transport, authority, kinds, author, told)
    values ($1, $2, $3, $4, $5, $6, $7, (select coalesce(max(number), 0) from audit))`,
    [id, host, port, transport, authority, JSON.stringify(kinds), author],
  )
}

/** Deletes a log server; `null` = there was none. */
export async function removeLogServer(sql: Sql, id: string): Promise<LogServer | null> {
  const [row] = await sql.query<LogServer>(
    'delete from log_server where id = $1 returning host, port, transport, authority, kinds',
    [id],
  )
  return row ?? null
}

/** Notes why the last messages could not be sent to a log server; '' = they could. */
export async function noteLogTrouble(sql: Sql, id: string, trouble: string): Promise<void> {
  await sql.query('update log_server set trouble = $2 where id = $1 and trouble <> $2', [id, trouble])
}

/** The entries of the audit log that a log server was not told yet, the first first, at most so many. */
export function entriesToTell(sql: Sql, id: string, limit: number): Promise<AuditEntry[]> {
  return sql.query<AuditEntry>(
    `select number, ${instant('at')} as at, account, address, kind, words from audit
    where number > (select told from log_server where id = $1) order by number limit $2`,
    [id, limit],
  )
}

/** Notes up to which entry of the audit log a log server was told. */
export async function noteTold(sql: Sql, id: string, number: number): Promise<void> {
  await sql.query('update log_server set told = $2 where id = $1', [id, number])
}
