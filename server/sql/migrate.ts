import type { Sql } from './database.ts'
import { MIGRATIONS } from './migrations.ts'

/** Brings the database to the newest shape. Throws where it was written by a newer program. */
export async function migrate(sql: Sql): Promise<void> {
  await sql.exec('create table if not exists migration (number int primary key, applied_at timestamptz not null default now())')
  const [last] = await sql.query<{ number: number }>('select coalesce(max(number), 0) as number from migration')
  const newest = MIGRATIONS.at(-1)!.number
  if (last!.number > newest) throw new Error(`This data was written by a newer Kairostat (shape ${last!.number}, this one knows ${newest}). Start that one.`)
  for (const { number, text } of MIGRATIONS) {
    if (number <= last!.number) continue
    await sql.transaction(async (tx) => {
      await tx.exec(text)
      await tx.query('insert into migration (number) values ($1)', [number])
    })
  }
}
