import { randomBytes } from 'node:crypto'
import { networkOf } from '../../core/decision/subject.ts'
import type { Override, Policy } from '../../core/policy/types.ts'
import { MINUTE } from '../../core/time/duration.ts'
import type { GuestPassesAnswer } from '../../protocol/answers.ts'
import type { GuestPassForm } from '../../protocol/edits.ts'
import type { Sighting } from '../../protocol/gateway/gateway.ts'
import { tell, type Sql } from '../database/database.ts'
import {
  addPass,
  endPass,
  latePasses,
  saveWifi,
  usePass,
  waitingPasses,
  wifiAccess,
} from './guest-pass-sql.ts'
import { sightings } from '../gateways/sighting-sql.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'
import { livePolicy } from './live.ts'
import { makeOverride } from './overrides.ts'
import { onlyFor } from './override-who.ts'

/** The time for which a guest pass waits for a device. */
const WAIT_SECONDS = 10 * MINUTE
const NOTE: Override['note'] = 'Guest pass'

/**
 * Makes a guest pass, which waits for ten minutes.
 *
 * @returns its id
 * @throws ApiError `unknown-part` where its network is not live
 */
export function makeGuestPass(
  sql: Sql,
  { network, lasts, wifi }: GuestPassForm,
  author: string,
): Promise<string> {
  return sql.transaction(async (tx) => {
    const { policy } = await livePolicy(tx)
    if (network !== null && !policy.networks.some(({ id }) => id === network))
      throw new ApiError('unknown-part', 'Apply the network first.')
    if (wifi !== null && network !== null) await saveWifi(tx, network, wifi)
    const there = (await sightings(tx)).filter((seen) => seen.connected && isIn(policy, seen, network))
    const id = `pass-${randomBytes(6).toString('hex')}`
    await addPass(tx, { id, network, lasts, author, present: there.map(({ mac }) => mac) }, WAIT_SECONDS)
    const where = policy.networks.find(({ id }) => id === network)?.name ?? 'any network'
    await record(tx, 'override', `Guest pass for the next device in ${where}, for ${lasts / MINUTE} minutes`)
    await tell(tx, 'sightings')
    return id
  })
}

/** The guest passes that wait and those of the last hour, with what is known of how to join each network. */
export async function guestPasses(sql: Sql): Promise<GuestPassesAnswer> {
  return { passes: await latePasses(sql), wifi: await wifiAccess(sql) }
}

/**
 * Ends a guest pass that waits.
 *
 * @throws ApiError `not-found` where none waits with that id
 */
export async function endGuestPass(sql: Sql, id: string): Promise<void> {
  if (!(await endPass(sql, id)))
    throw new ApiError('not-found', 'That guest pass was used, or has ended already.')
  await record(sql, 'override', 'Guest pass ended')
  await tell(sql, 'sightings')
}

/**
 * Allows those for whom guest passes wait, of whom is on the network now: the first pass for the first
 * device.
 */
export async function useGuestPasses(sql: Sql, seen: readonly Sighting[]): Promise<void> {
  if ((await waitingPasses(sql)).length === 0) return
  await sql.transaction(async (tx) => {
    const { policy } = await livePolicy(tx)
    const known = new Set(policy.devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac)))
    const guests = seen
      .filter(({ mac, connected }) => connected && !known.has(mac))
      .toSorted((a, b) => a.firstSeen.localeCompare(b.firstSeen))
    const served = new Set<string>()
    for (const { id, network, lasts, author, present } of await waitingPasses(tx)) {
      const guest = guests.find(
        (one) => !present.includes(one.mac) && !served.has(one.mac) && isIn(policy, one, network),
      )
      if (!guest) continue
      served.add(guest.mac)
      const wish = { effect: 'allow', from: null, until: null, lasts, note: NOTE } as const
      const override = await makeOverride(tx, { ...wish, who: onlyFor({ mac: guest.mac }) }, author)
      await usePass(tx, id, guest.mac, override)
      await tell(tx, 'sightings')
    }
  })
}

const isIn = ({ networks }: Policy, seen: Sighting, network: string | null) =>
  network === null || networkOf(networks, seen) === network
