import type { Gateway } from '../../protocol/gateway.ts'
import type { Settings } from '../../protocol/settings.ts'
import type { Sql } from '../sql/database.ts'
import { forgetLookups } from '../sql/lookup.ts'
import { ofGateway } from './api-handler.ts'
import { ApiError } from './errors.ts'

/**
 * Gives the gateway other settings, and forgets the look-ups that they say are no longer kept.
 *
 * @throws ApiError `malformed` with what it refuses, `gateway-away`
 */
export async function setGateway(sql: Sql, gateway: Gateway, settings: Settings): Promise<void> {
  const faults = await ofGateway(gateway.set(settings))
  if (faults) throw new ApiError('malformed', '', faults)
  await forgetLookups(sql, settings.lookups)
}
