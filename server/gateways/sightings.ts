import type { SightingAnswer } from '../../protocol/answers.ts'
import { tell, type Sql } from '../database/database.ts'
import { ignoreSighting, sightings } from './sighting-sql.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'
import { makerOf } from './vendor.ts'

/**
 * Everybody who was seen on the network, with who made their adapter.
 *
 * @param asker the IP address of who asks, to say which device is theirs
 */
export async function sightingsFor(sql: Sql, asker: string): Promise<SightingAnswer[]> {
  return Promise.all(
    (await sightings(sql)).map(async (seen) => ({
      ...seen,
      maker: await makerOf(seen.mac),
      yours: seen.connected && seen.addresses.includes(asker),
    })),
  )
}

/**
 * Ignores an unknown device in *New on the network*, or shows it there again.
 *
 * @throws ApiError `not-found` where it was never seen
 */
export async function ignoreUnknown(sql: Sql, mac: string, isIgnored: boolean): Promise<void> {
  if (!(await ignoreSighting(sql, mac, isIgnored)))
    throw new ApiError('not-found', 'Nobody with this address was ever seen.')
  await record(sql, 'edit', `Unknown device ${mac} ${isIgnored ? 'ignored' : 'shown again'}`)
  await tell(sql, 'sightings')
}
