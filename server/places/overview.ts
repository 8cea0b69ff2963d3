import { compiledOf } from '../../core/decision/compile.ts'
import { momentsAt } from '../../core/decision/moment.ts'
import { isBlocked } from '../../core/decision/standing.ts'
import { instantText } from '../../core/time/instant.ts'
import { everybody } from '../../protocol/everybody.ts'
import type { FoundEntry, OwnPlace, PlaceSummary } from '../../protocol/places.ts'
import { may } from '../../protocol/roles.ts'
import type { Sql } from '../database/database.ts'
import { devices } from '../draft/device-sql.ts'
import { holding } from './holding-sql.ts'
import { limitOf, placesOf } from '../accounts/people-sql.ts'
import { entriesLike } from '../draft/search-sql.ts'
import { sightings } from '../gateways/sighting-sql.ts'
import { livePolicy } from '../live/live.ts'
import type { KnownPlace, Places } from './places.ts'
import { waitingFor } from '../live/requests.ts'

/** The most entries that a search finds at each place. */
const MAX_FOUND = 20

/** Returns the standing of each place that an account may use, the oldest first. */
export async function overview(places: Places, sql: Sql, account: string) {
  const own = await knownOf(places, sql, account)
  return Promise.all(own.map(([place, known]) => summaryOf(place, known.sql, account)))
}

/**
 * The entries of the drafts of one's places whose name or note matches, devices also by their address; of
 * places that one may edit.
 */
export async function searchPlaces(
  places: Places,
  sql: Sql,
  account: string,
  text: string,
): Promise<FoundEntry[]> {
  if (text === '') return []
  const own = await knownOf(places, sql, account)
  const found = await Promise.all(
    own
      .filter(([{ role }]) => may(role, 'edit'))
      .map(async ([{ id: place }, known]) =>
        (await entriesLike(known.sql, text, MAX_FOUND)).map((entry) => ({ ...entry, place })),
      ),
  )
  return found.flat()
}

async function knownOf(places: Places, sql: Sql, account: string) {
  const found: [OwnPlace, KnownPlace][] = []
  for (const place of await placesOf(sql, account)) {
    const known = await places.of(place.id)
    if (known) found.push([place, known])
  }
  return found
}

async function summaryOf(place: OwnPlace, sql: Sql, account: string): Promise<PlaceSummary> {
  const { policy } = await livePolicy(sql)
  const live = compiledOf(policy)
  const now = Math.floor(Date.now() / 1000)
  const everyone = everybody({ devices: await devices(sql) }, live, await sightings(sql))
  const moments = momentsAt(
    live,
    everyone.map(({ subject }) => subject),
    now,
  )
  const next = Math.min(...moments.map(({ until }) => until ?? Infinity))
  const held = await holding(sql)
  const asks = may(place.role, 'help') ? await waitingFor(sql, await limitOf(sql, account)) : []
  return {
    ...place,
    timeZone: policy.place.timeZone,
    gateway: held?.state ?? 'pending',
    isSimulated: held?.isSimulated ?? false,
    alarms: held?.alarms ?? 0,
    requests: asks.length,
    devices: everyone.length,
    blocked: moments.filter((moment) => isBlocked(moment.state)).length,
    next: Number.isFinite(next) ? instantText(next) : null,
  }
}
