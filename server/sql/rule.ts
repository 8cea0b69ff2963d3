import type { Rule, When } from '../../core/policy/types.ts'
import type { Sql } from './database.ts'

/** A rule as its table and parts give it; `timing` says which of the three forms of "when" it has. */
type Row = Pick<Rule, 'id' | 'name' | 'enabled' | 'effect' | 'note'> & Pick<Rule['who'], 'everyone' | 'newcomers' | 'devices' | 'groups'> & Rule['what'] & {
  readonly timing: 'always' | 'during' | 'outside' | 'once'
  readonly fromLocal: string | null
  readonly untilLocal: string | null
  readonly exceptDevices: readonly string[]
  readonly exceptGroups: readonly string[]
  readonly schedules: readonly string[]
}

const listed = (table: string, column: string, where = 'true') =>
  `coalesce((select json_agg(${column} order by position) from ${table} where rule_id = rule.id and ${where}), '[]')`

/** Every rule of the draft, in the order in which they decide. */
export async function rules(sql: Sql): Promise<Rule[]> {
  const rows = await sql.query<Row>(`select id, name, enabled, effect, everyone, newcomers, internet, note, timing,
      from_local as "fromLocal", until_local as "untilLocal",
      ${listed('rule_device', 'device_id', 'not excepted')} as devices, ${listed('rule_device', 'device_id', 'excepted')} as "exceptDevices",
      ${listed('rule_group', 'group_id', 'not excepted')} as groups, ${listed('rule_group', 'group_id', 'excepted')} as "exceptGroups",
      ${listed('rule_schedule', 'schedule_id')} as schedules, ${listed('rule_site_list', 'list_id')} as "siteLists", ${listed('rule_app', 'app_id')} as apps,
      ${listed('rule_text', 'value', `kind = 'site'`)} as sites, ${listed('rule_text', 'value', `kind = 'keyword'`)} as keywords,
      ${listed('rule_text', 'value', `kind = 'category'`)} as categories, ${listed('rule_text', 'value', `kind = 'service'`)} as services
    from rule order by position`)
  return rows.map(ruleOf)
}

/** Adds a rule at the end, or replaces the one with its id, parts and all. Fails where it names what is not in the draft. */
export async function saveRule(sql: Sql, rule: Rule): Promise<void> {
  const { id, name, enabled, effect, who, what, when, note } = rule
  const timing = 'always' in when ? 'always' : 'from' in when ? 'once' : when.outside ? 'outside' : 'during'
  await sql.query(`insert into rule (id, position, name, enabled, effect, everyone, newcomers, internet, timing, from_local, until_local, note)
    values ($1, (select coalesce(max(position), 0) + 1 from rule), $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)
    on conflict (id) do update set name = $2, enabled = $3, effect = $4, everyone = $5, newcomers = $6, internet = $7, timing = $8,
      from_local = $9, until_local = $10, note = $11`,
  [id, name, enabled, effect, who.everyone, who.newcomers, what.internet, timing, 'from' in when ? when.from : null, 'from' in when ? when.until : null, note])
  await saveNamed(sql, id, 'rule_device', 'device_id', who.devices, who.except.devices)
  await saveNamed(sql, id, 'rule_group', 'group_id', who.groups, who.except.groups)
  await saveParts(sql, id, 'rule_schedule', 'schedule_id', 'schedules' in when ? when.schedules : [])
  await saveParts(sql, id, 'rule_site_list', 'list_id', what.siteLists)
  await saveParts(sql, id, 'rule_app', 'app_id', what.apps)
  await sql.query('delete from rule_text where rule_id = $1', [id])
  for (const [kind, values] of [['site', what.sites], ['keyword', what.keywords], ['category', what.categories], ['service', what.services]] as const) {
    await sql.query(`insert into rule_text (rule_id, kind, position, value)
      select $1, $2, position, value from unnest($3::text[]) with ordinality as listed (value, position)`, [id, kind, values])
  }
}

async function saveParts(sql: Sql, rule: string, table: string, column: string, ids: readonly string[]) {
  await sql.query(`delete from ${table} where rule_id = $1`, [rule])
  await sql.query(`insert into ${table} (rule_id, ${column}, position)
    select $1, id, position from unnest($2::text[]) with ordinality as listed (id, position)`, [rule, [...new Set(ids)]])
}

async function saveNamed(sql: Sql, rule: string, table: string, column: string, named: readonly string[], except: readonly string[]) {
  await sql.query(`delete from ${table} where rule_id = $1`, [rule])
  for (const [excepted, ids] of [[false, named], [true, except]] as const) {
    await sql.query(`insert into ${table} (rule_id, ${column}, excepted, position)
      select $1, id, $3, position from unnest($2::text[]) with ordinality as listed (id, position)`, [rule, [...new Set(ids)], excepted])
  }
}

function ruleOf(row: Row): Rule {
  const { id, name, enabled, effect, note, everyone, newcomers, devices, groups, exceptDevices, exceptGroups } = row
  const { internet, sites, siteLists, keywords, apps, categories, services } = row
  return {
    id, name, enabled, effect, note,
    who: { everyone, newcomers, devices, groups, except: { devices: exceptDevices, groups: exceptGroups } },
    what: { internet, sites, siteLists, keywords, apps, categories, services },
    when: whenOf(row),
  }
}

function whenOf({ timing, fromLocal, untilLocal, schedules }: Row): When {
  if (timing === 'always') return { always: true }
  return timing === 'once' ? { from: fromLocal!, until: untilLocal! } : { schedules, outside: timing === 'outside' }
}
