import { compiledOf } from '../../core/decision/compile.ts'
import { momentsAt } from '../../core/decision/moment.ts'
import { isBlocked } from '../../core/decision/standing.ts'
import { instantText } from '../../core/time/instant.ts'
import { everybody } from '../../protocol/everybody.ts'
import type { FoundEntry, OwnPlace, PlaceSummary } from '../../protocol/places.ts'
import { may } from '../../protocol/roles.ts'
import { devices } from '../sql/device.ts'
import { limitOf, placesOf } from '../sql/people.ts'
import { entriesLike } from '../sql/place.ts'
import { sightings } from '../sql/sighting.ts'
import { livePolicy } from './live.ts'
import type { Places } from './places.ts'
import { waitingFor } from './requests.ts'
import type { RunningPlace } from './running-place.ts'

/** How many entries a search finds at each place, at most. */
const FOUND = 20

/** How each place stands that somebody may use, the first made first. */
export async function overview(places: Places, sql: RunningPlace['sql'], account: string) {
  const own = await runningOf(places, sql, account)
  return Promise.all(own.map(([place, running]) => summaryOf(place, running, account)))
}

/**
 * The entries of the drafts of one's places whose name or note matches, devices also by their address; of places
 * that one may edit.
 */
export async function searchPlaces(
  places: Places,
  sql: RunningPlace['sql'],
  account: string,
  text: string,
): Promise<FoundEntry[]> {
  if (text === '') return []
  const own = await runningOf(places, sql, account)
  const found = await Promise.all(
    own
      .filter(([{ role }]) => may(role, 'edit'))
      .map(async ([{ id: place }, running]) =>
        (await entriesLike(running.sql, text, FOUND)).map((entry) => ({ ...entry, place })),
      ),
  )
  return found.flat()
}

async function runningOf(places: Places, sql: RunningPlace['sql'], account: string) {
  return (await placesOf(sql, account)).flatMap((place): [OwnPlace, RunningPlace][] => {
    const running = places.of(place.id)
    return running ? [[place, running]] : []
  })
}

async function summaryOf(
  place: OwnPlace,
  { sql, link }: RunningPlace,
  account: string,
): Promise<PlaceSummary> {
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
  const { state, status } = link.view()
  const asks = may(place.role, 'help') ? await waitingFor(sql, await limitOf(sql, account)) : []
  return {
    ...place,
    timeZone: policy.place.timeZone,
    gateway: state,
    isSimulated: status?.plane === 'simulated',
    alarms: status?.alarms.length ?? 0,
    requests: asks.length,
    devices: everyone.length,
    blocked: moments.filter((moment) => isBlocked(moment.state)).length,
    next: Number.isFinite(next) ? instantText(next) : null,
  }
}
