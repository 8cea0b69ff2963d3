import type { Gateway } from '../../protocol/gateway.ts'
import type { Settings } from '../../protocol/settings.ts'
import type { Sql } from '../sql/database.ts'
import { forgetLookups } from '../sql/lookup.ts'
import { ofGateway } from './api-handler.ts'
import { record } from './audit.ts'
import { ApiError } from './errors.ts'

/**
 * Gives the gateway other settings, and forgets the look-ups that they say are no longer kept.
 *
 * @throws ApiError `malformed` with what it refuses, `gateway-away`
 */
export async function setGateway(sql: Sql, gateway: Gateway, settings: Settings): Promise<void> {
  const before = (await ofGateway(gateway.status())).settings
  const faults = await ofGateway(gateway.set(settings))
  if (faults) throw new ApiError('malformed', '', faults)
  await forgetLookups(sql, settings.lookups)
  await record(
    sql,
    'settings',
    changedWords(before, settings).join('\n') || 'Gateway settings saved unchanged',
  )
}

/** What differs between two settings of a gateway, old → new. */
function changedWords(before: object, after: object, path = 'Gateway'): string[] {
  return Object.entries(after).flatMap(([key, value]: [string, unknown]) => {
    const old = (before as Record<string, unknown>)[key]
    const name = `${path} ${key}`
    if (typeof value === 'object' && value !== null && !Array.isArray(value))
      return changedWords(old as object, value, name)
    const [was, is] = [JSON.stringify(old), JSON.stringify(value)]
    return was === is ? [] : [`${name}: ${was} → ${is}`]
  })
}
