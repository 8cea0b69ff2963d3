import type { Rule, When } from '../../core/policy/types.ts'
import { listOf, type Sql } from '../database/database.ts'

/** A rule as its table gives it; `timing` says which of the three forms of "when" it has. */
type Row = Pick<Rule, 'id' | 'name' | 'enabled' | 'logOnly' | 'effect' | 'after' | 'note'> &
  Pick<Rule['who'], 'everyone' | 'newcomers'> &
  Pick<Rule['what'], 'internet'> & {
    readonly timing: 'always' | 'during' | 'outside' | 'once'
    readonly fromLocal: string | null
    readonly untilLocal: string | null
  }

/** The table, the column and the rows of each part of a rule. */
const PARTS = {
  devices: ['rule_device', 'device_id', 'not excepted'],
  exceptDevices: ['rule_device', 'device_id', 'excepted'],
  groups: ['rule_group', 'group_id', 'not excepted'],
  exceptGroups: ['rule_group', 'group_id', 'excepted'],
  networks: ['rule_network', 'network_id', 'not excepted'],
  exceptNetworks: ['rule_network', 'network_id', 'excepted'],
  schedules: ['rule_schedule', 'schedule_id', 'true'],
  siteLists: ['rule_site_list', 'list_id', 'true'],
  apps: ['rule_app', 'app_id', 'true'],
  sites: ['rule_text', 'value', `kind = 'site'`],
  keywords: ['rule_text', 'value', `kind = 'keyword'`],
  categories: ['rule_text', 'value', `kind = 'category'`],
  services: ['rule_text', 'value', `kind = 'service'`],
} as const
type Part = keyof typeof PARTS

/** Every rule of the draft, in the order in which they decide. */
export async function rules(sql: Sql): Promise<Rule[]> {
  const rows = await listOf<Row>(
    sql,
    `select id, name, enabled, log_only as "logOnly", effect, everyone, newcomers, internet, note, timing,
    allowance as after, from_local as "fromLocal", until_local as "untilLocal" from rule order by position`,
  )
  const parts = await listOf<{ rule: string; part: Part; value: string }>(
    sql,
    `${Object.entries(PARTS)
      .map(
        ([part, [table, column, where]]) =>
          `select rule_id as rule, '${part}' as part, ${column} as value, position from ${table} where ${where}`,
      )
      .join(' union all ')} order by position`,
  )
  const named = new Map<string, string[]>()
  for (const { rule, part, value } of parts)
    named.set(`${part} ${rule}`, [...(named.get(`${part} ${rule}`) ?? []), value])
  return rows.map((row) => ruleOf(row, (part) => named.get(`${part} ${row.id}`) ?? []))
}

/**
 * Adds a rule at the end, or replaces the one with its id, parts and all. Fails where it names what is not in
 * the draft.
 */
export async function saveRule(sql: Sql, rule: Rule): Promise<void> {
  const { id, name, enabled, logOnly, effect, who, what, when, after, note } = rule
  let timing
  if ('always' in when) timing = 'always'
  else if ('from' in when) timing = 'once'
  else if (when.outside) timing = 'outside'
  else timing = 'during'
  await sql.query(
    `insert into rule (id, position, name, enabled, effect, everyone, newcomers, internet, timing, from_local, until_local, note, log_only, allowance)
    values ($1, (select coalesce(max(position), 0) + 1 from rule), $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13)
    on conflict (place, id) do update set name = $2, enabled = $3, effect = $4, everyone = $5, newcomers = $6, internet = $7, timing = $8,
      from_local = $9, until_local = $10, note = $11, log_only = $12, allowance = $13`,
    [
      id,
      name,
      enabled,
      effect,
      who.everyone,
      who.newcomers,
      what.internet,
      timing,
      'from' in when ? when.from : null,
      'from' in when ? when.until : null,
      note,
      logOnly,
      after === null ? null : JSON.stringify(after),
    ],
  )
  await saveNamed(sql, id, 'rule_device', 'device_id', who.devices, who.except.devices)
  await saveNamed(sql, id, 'rule_group', 'group_id', who.groups, who.except.groups)
  await saveNamed(sql, id, 'rule_network', 'network_id', who.networks, who.except.networks)
  await saveParts(sql, id, 'rule_schedule', 'schedule_id', 'schedules' in when ? when.schedules : [])
  await saveParts(sql, id, 'rule_site_list', 'list_id', what.siteLists)
  await saveParts(sql, id, 'rule_app', 'app_id', what.apps)
  await sql.query('delete from rule_text where rule_id = $1', [id])
  for (const [kind, values] of [
    ['site', what.sites],
    ['keyword', what.keywords],
    ['category', what.categories],
    ['service', what.services],
  ] as const) {
    if (values.length > 0)
      await sql.query(
        `insert into rule_text (rule_id, kind, position, value)
      select $1, $2, position, value from unnest($3::text[]) with ordinality as listed (value, position)`,
        [id, kind, values],
      )
  }
}

async function saveParts(sql: Sql, rule: string, table: string, column: string, ids: readonly string[]) {
  await sql.query(`delete from ${table} where rule_id = $1`, [rule])
  if (ids.length > 0)
    await sql.query(
      `insert into ${table} (rule_id, ${column}, position)
    select $1, id, position from unnest($2::text[]) with ordinality as listed (id, position)`,
      [rule, [...new Set(ids)]],
    )
}

async function saveNamed(
  sql: Sql,
  rule: string,
  table: string,
  column: string,
  named: readonly string[],
  except: readonly string[],
) {
  await sql.query(`delete from ${table} where rule_id = $1`, [rule])
  for (const [excepted, ids] of [
    [false, named],
    [true, except],
  ] as const) {
    if (ids.length > 0)
      await sql.query(
        `insert into ${table} (rule_id, ${column}, excepted, position)
      select $1, id, $3, position from unnest($2::text[]) with ordinality as listed (id, position)`,
        [rule, [...new Set(ids)], excepted],
      )
  }
}

function ruleOf(row: Row, named: (part: Part) => string[]): Rule {
  const { id, name, enabled, logOnly, effect, after, note, everyone, newcomers, internet } = row
  const except = {
    devices: named('exceptDevices'),
    groups: named('exceptGroups'),
    networks: named('exceptNetworks'),
  }
  return {
    id,
    name,
    enabled,
    logOnly,
    effect,
    after,
    note,
    who: {
      everyone,
      newcomers,
      devices: named('devices'),
      groups: named('groups'),
      networks: named('networks'),
      except,
    },
    what: {
      internet,
      sites: named('sites'),
      siteLists: named('siteLists'),
      keywords: named('keywords'),
      apps: named('apps'),
      categories: named('categories'),
      services: named('services'),
    },
    when: whenOf(row, named('schedules')),
  }
}

function whenOf({ timing, fromLocal, untilLocal }: Row, schedules: string[]): When {
  if (timing === 'always') return { always: true }
  return timing === 'once'
    ? { from: fromLocal!, until: untilLocal! }
    : { schedules, outside: timing === 'outside' }
}
