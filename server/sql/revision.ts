import { instant, type Sql } from './database.ts'

/** A policy that was applied; `document` is its canonical text, `createdAt` an instant in UTC. */
export interface Revision {
  readonly number: number
  readonly digest: string
  readonly document: string
  readonly author: string
  readonly note: string
  readonly createdAt: string
}

const COLUMNS = `number, digest, document, author, note, ${instant('created_at')} as "createdAt"`

const WITHOUT_DOCUMENT = COLUMNS.replace('document, ', '')

/** The revision that is live, the latest, without its document. `null` before the first. */
export async function liveRevision(sql: Sql): Promise<Omit<Revision, 'document'> | null> {
  const [row] = await sql.query<Omit<Revision, 'document'>>(
    `select ${WITHOUT_DOCUMENT} from revision order by number desc limit 1`,
  )
  return row ?? null
}

/** Every revision without its document, the latest first. */
export function revisions(sql: Sql): Promise<Omit<Revision, 'document'>[]> {
  return sql.query(`select ${WITHOUT_DOCUMENT} from revision order by number desc`)
}

/** One revision, `null` where there is none of that number. */
export async function revision(sql: Sql, number: number): Promise<Revision | null> {
  const [row] = await sql.query<Revision>(`select ${COLUMNS} from revision where number = $1`, [number])
  return row ?? null
}

/**
 * Writes a revision, which makes it the live one: from now on, or where the clock was set back, from when the
 * one before was written.
 */
export async function addRevision(
  sql: Sql,
  { digest, document, author, note }: Pick<Revision, 'digest' | 'document' | 'author' | 'note'>,
): Promise<Revision> {
  const [row] = await sql.query<Revision>(
    `insert into revision (digest, document, author, note, created_at)
     values ($1, $2, $3, $4, greatest(now(), (select max(created_at) from revision)))
     returning ${COLUMNS}`,
    [digest, document, author, note],
  )
  return row!
}
