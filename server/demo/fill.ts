import { startOfMinute } from '../../core/time/duration.ts'
import { countChanges } from '../../core/change/entries.ts'
import { readPolicy } from '../../core/policy/read.ts'
import { canonicalText, digestOf } from '../../core/policy/canonical.ts'
import type { Policy } from '../../core/policy/types.ts'
import { dateText, dayAt, instantText, weekdayOf } from '../../core/time/instant.ts'
import { putRule, putSchedule } from '../draft/draft.ts'
import { putDevice } from '../draft/draft-devices.ts'
import { fillDraft } from '../draft/edit.ts'
import { setUp } from '../accounts/sign-in.ts'
import { SCHEMA, type Database, type Sql } from '../database/database.ts'
import { FIRST } from '../../protocol/places.ts'
import { migrate } from '../database/migrate.ts'
import { emptyPolicy } from '../live/live.ts'
import { addSavedAct } from '../live/saved-act-sql.ts'
import { addOverride } from '../live/override-sql.ts'
import { addRevision } from '../live/revision-sql.ts'
import { officeDocument } from './office.ts'
import { demoDocument } from './policy.ts'

/** The demo's account; its password is made at each start. */
export const DEMO_ACCOUNT = 'demo'

/** The demo's places: the workshop of thirty devices, and an office of five hundred. */
export type DemoSize = 'workshop' | 'office'

/**
 * Empties the database and fills it with the demo: a policy that is live and, in the workshop, two overrides
 * around now and a few edits that are not live yet. `networks` = with rules for parts of the place, which a
 * Linux gateway refuses.
 */
export async function fillDemo(
  database: Database,
  password: string,
  size: DemoSize,
  networks = true,
): Promise<void> {
  await migrate(database)
  if (await holdsDemo(database)) {
    await database.exec(`drop schema ${SCHEMA} cascade; create schema ${SCHEMA}`)
    await migrate(database)
  }
  const sql = database.at(FIRST)
  await sql.exec('insert into demo_mark default values')
  await setUp(sql, DEMO_ACCOUNT, password)
  const now = Math.floor(Date.now() / 1000)
  let policy
  if (size === 'office') policy = policyOf(officeDocument())
  else if (networks) policy = demoPolicy(now)
  else policy = withoutNetworks(demoPolicy(now))
  await fillDraft(sql, policy)
  await addRevision(sql, {
    digest: digestOf(policy),
    document: canonicalText(policy),
    author: DEMO_ACCOUNT,
    note: 'Winter schedules',
    changed: countChanges(await emptyPolicy(sql), policy),
  })
  // As if it had been applied a while ago: what was in force is asked for the past, too.
  await sql.exec(`update revision set created_at = date_trunc('day', now()) - interval '9 days'`)
  if (size === 'office') return
  await addDemoOverrides(sql, now)
  await addDemoEdits(sql, policy)
}

/**
 * Whether a database holds an earlier demo, which is erased.
 *
 * @throws Error where somebody set up a place in it, whatever their account is called
 */
async function holdsDemo(sql: Sql): Promise<boolean> {
  const accounts = await sql.query('select name from account limit 1')
  const marks = await sql.query('select made_at from demo_mark limit 1')
  if (accounts.length > 0 && marks.length === 0)
    throw new Error(
      'this data folder holds a place that is not the demo, which the demo would erase. Leave KAIROSTAT_DATA unset for the demo, or remove the folder if it holds an earlier demo.',
    )
  return marks.length > 0
}

/** The demo's policy as of an instant (seconds): stocktaking is on the next Saturday. */
export function demoPolicy(now: number): Policy {
  const today = dayAt(now, 'Europe/Lisbon')
  return policyOf(demoDocument(dateText(today + 7 - ((weekdayOf(today) + 2) % 7))))
}

const withoutNetworks = (policy: Policy): Policy => ({
  ...policy,
  networks: [],
  rules: policy.rules.filter(({ who }) => who.networks.length === 0),
})

function policyOf(document: unknown): Policy {
  const result = readPolicy(document)
  if ('faults' in result) throw new Error(`The demo's policy has faults: ${JSON.stringify(result.faults)}`)
  return result.policy
}

async function addDemoOverrides(sql: Sql, now: number): Promise<void> {
  const who = (...devices: string[]) => ({
    everyone: false,
    newcomers: false,
    devices,
    groups: [],
    networks: [],
    macs: [],
    except: { devices: [], groups: [], networks: [] },
  })
  const at = (minutes: number) => instantText(startOfMinute(now) + minutes * 60)
  await addOverride(
    sql,
    {
      id: 'ines-call',
      effect: 'allow',
      who: who('ines-phone'),
      what: null,
      more: null,
      from: at(-35),
      until: at(95),
      note: 'A call with the paper mill',
    },
    DEMO_ACCOUNT,
  )
  await addOverride(
    sql,
    {
      id: 'screen-off',
      effect: 'block',
      who: who('big-screen'),
      what: null,
      more: null,
      from: at(-10),
      until: at(50),
      note: 'Supper first',
    },
    DEMO_ACCOUNT,
  )
  const flat = { ...who(), groups: ['flat'] }
  const dinner = {
    id: 'dinner',
    name: 'Dinner',
    effect: 'block',
    who: flat,
    what: null,
    lasts: 45 * 60,
  } as const
  await addSavedAct(sql, dinner, DEMO_ACCOUNT)
}

async function addDemoEdits(sql: Sql, policy: Policy): Promise<void> {
  const schedule = policy.schedules.find(({ id }) => id === 'school-nights')!
  await putSchedule(sql, schedule.id, { ...schedule, week: 'Su-Th 21:00-07:00; Fr,Sa 22:30-08:30' })
  const tablet = policy.devices.find(({ id }) => id === 'tomas-tablet')!
  await putDevice(sql, tablet.id, { ...tablet, name: 'Tomas’s drawing tablet' })
  const rule = policy.rules.find(({ id }) => id === 'quiet-bench')!
  await putRule(sql, rule.id, {
    ...rule,
    who: { ...rule.who, except: { ...rule.who.except, devices: ['frame-reader'] } },
  })
}
