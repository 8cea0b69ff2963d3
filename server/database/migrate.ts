import type { Sql } from './database.ts'
import { MIGRATIONS } from './migrations.ts'
import { placeTables } from './place-sql.ts'

/** The number of the last migration that the database had. */
export async function shapeOf(sql: Sql): Promise<number> {
  const [last] = await sql.query<{ number: number }>(
    'select coalesce(max(number), 0) as number from migration',
  )
  return last!.number
}

/**
 * Brings the database to the newest shape, or to an earlier one (`upTo`).
 *
 * @throws Error where it was written by a newer program
 */
export async function migrate(sql: Sql, upTo = Infinity): Promise<void> {
  await sql.exec(
    'create table if not exists migration (number int primary key, applied_at timestamptz not null default now())',
  )
  const last = await shapeOf(sql)
  const newest = MIGRATIONS.at(-1)!.number
  const wanted = upTo === Infinity ? last : Math.max(last, upTo)
  if (wanted > newest)
    throw new Error(
      `This data was written by a newer Kairostat (shape ${wanted}, this one knows ${newest}). Start that one.`,
    )
  for (const { number, text } of MIGRATIONS) {
    if (number <= last || number > upTo) continue
    await sql.transaction(async (tx) => {
      // A migration sees the rows of all places.
      for (const table of await placeTables(tx))
        await tx.exec(`alter table "${table}" no force row level security`)
      await tx.exec(text)
      for (const table of await placeTables(tx))
        await tx.exec(`alter table "${table}" force row level security`)
      await tx.query('insert into migration (number) values ($1)', [number])
    })
  }
}
