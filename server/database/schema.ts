import { NEW_SCHEMA, SCHEMA, type Sql } from './database.ts'
import { MIGRATIONS } from './migrations.ts'

/** The last migration of a program that had its tables in the schema `public`. */
const LAST_PUBLIC = 19

/** The tables that such programs made. */
const TABLES = [
  'migration',
  ...MIGRATIONS.filter(({ number }) => number <= LAST_PUBLIC).flatMap(({ text }) =>
    [...text.matchAll(/^create table (\w+)/gm)].map(([, name]) => name!),
  ),
]

/**
 * SQL that makes our schema where there is none; tables that an earlier program left in `public` are moved
 * there, and others stay. A schema in which a restore was not finished is made anew.
 */
export const settle = (schema: typeof SCHEMA | typeof NEW_SCHEMA): string =>
  schema === NEW_SCHEMA
    ? `drop schema if exists ${NEW_SCHEMA} cascade; create schema ${NEW_SCHEMA};`
    : `
do $$
declare own name;
begin
  if to_regnamespace('${SCHEMA}') is not null then return; end if;
  create schema ${SCHEMA};
  if not exists (select from pg_attribute where attrelid = to_regclass('public.migration') and attname = 'applied_at')
    or to_regclass('public.sign_in_try') is null then return; end if;
  for own in select relname from pg_class
    where relnamespace = to_regnamespace('public') and relkind = 'r' and relname = any ('{${TABLES.join()}}'::name[])
  loop
    execute format('alter table public.%I set schema ${SCHEMA}', own);
  end loop;
end $$;
`

/** The state that a database notes of itself. */
export type DatabaseState =
  /** None of our tables, ours, or those of a restore that was not finished. */
  | { readonly is: 'empty' | 'whole' | 'unfinished' }
  /** Its contents were moved elsewhere. */
  | { readonly is: 'moved'; readonly to: string }

/** The contents of a database. */
export async function stateOf(sql: Sql): Promise<DatabaseState> {
  const [row] = await sql.query<{ whole: boolean; unfinished: boolean; moved: string | null }>(
    `select to_regclass('${SCHEMA}.migration') is not null as whole,
      to_regnamespace('${NEW_SCHEMA}') is not null as unfinished,
      obj_description(to_regnamespace('${SCHEMA}'), 'pg_namespace') as moved`,
  )
  const { whole, unfinished, moved } = row!
  if (!whole) return { is: unfinished ? 'unfinished' : 'empty' }
  return moved === null ? { is: 'whole' } : { is: 'moved', to: moved }
}

/** Has a database say that what is in it was moved to somewhere. */
export async function noteMoved(sql: Sql, to: string): Promise<void> {
  await sql.exec(`comment on schema ${SCHEMA} is '${to.replaceAll("'", "''")}'`)
}

/** Puts what was restored in its place, once it is whole. */
export async function finishRestore(sql: Sql): Promise<void> {
  await sql.transaction(async (tx) => {
    await tx.exec(`drop schema if exists ${SCHEMA}; alter schema ${NEW_SCHEMA} rename to ${SCHEMA}`)
  })
}
