import type { Gateway } from '../../protocol/gateway/gateway.ts'
import type { Settings } from '../../protocol/gateway/settings.ts'
import type { Sql } from '../database/database.ts'
import { ofGateway } from './of-gateway.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'

/**
 * Gives the gateway other settings.
 *
 * @throws ApiError `malformed` with what it refuses, `gateway-away`
 */
export async function setGateway(sql: Sql, gateway: Gateway, settings: Settings): Promise<void> {
  const before = (await ofGateway(gateway.status())).settings
  const faults = await ofGateway(gateway.set(settings))
  if (faults) throw new ApiError('malformed', '', faults)
  const names = new Map(
    (await sql.query<{ id: string; name: string }>('select id, name from device')).map(({ id, name }) => [
      id,
      name,
    ]),
  )
  const nameOf = (id: string) => names.get(id) ?? id
  const lines = FIELDS.flatMap(([label, words]) => {
    const [was, is] = [words(before, nameOf), words(settings, nameOf)]
    return was === is ? [] : [`${label}: ${was} → ${is}`]
  })
  await record(sql, 'settings', lines.join('\n') || 'Gateway settings saved unchanged')
}

/** Returns a setting in words, with devices by their names. */
type Words = (settings: Settings, nameOf: (device: string) => string) => string

const listed = (names: readonly string[]) => names.join(', ') || 'none'

/** Every setting by what it is called, in the order of the page. */
const FIELDS: readonly (readonly [string, Words])[] = [
  ['Page that explains the block', ({ page }) => (page.shown ? 'shown' : 'not shown')],
  ['Message on that page', ({ page }) => (page.words === '' ? 'none' : `“${page.words}”`)],
  [
    'IP addresses of blocked sites',
    ({ closedAddresses }) => (closedAddresses ? 'blocked too' : 'not blocked'),
  ],
  ['DNS look-ups', ({ lookups: { kept, days } }) => (kept ? `stored for ${days} days` : 'not stored')],
  ['Devices whose look-ups are not stored', ({ lookups }, nameOf) => listed(lookups.exempt.map(nameOf))],
  ['Usage', ({ usage }) => (usage.kept ? 'counted' : 'not counted')],
  ['A minute is active above', ({ usage }) => `${usage.kilobytes} kB`],
  ['Devices whose usage is not counted', ({ usage }, nameOf) => listed(usage.exempt.map(nameOf))],
  ['Outside names with addresses of this network', ({ localNames }) => listed(localNames)],
]
