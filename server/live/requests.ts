import { compiledOf } from '../../core/decision/compile.ts'
import { momentsAt } from '../../core/decision/moment.ts'
import { subjectOf } from '../../core/decision/periods.ts'
import { networkOf } from '../../core/decision/subject.ts'
import type { Policy } from '../../core/policy/types.ts'
import { HOUR, MINUTE } from '../../core/time/duration.ts'
import { instantText } from '../../core/time/instant.ts'
import type { AskingAnswer } from '../../protocol/answers.ts'
import type { Gateway } from '../../protocol/gateway/gateway.ts'
import { devicesWithin } from '../../protocol/helper-limit.ts'
import { REQUEST_WAITS } from '../../protocol/request.ts'
import type { HelperLimit } from '../../protocol/roles.ts'
import { tell, type Sql } from '../database/database.ts'
import {
  addRequests,
  markTold,
  requestOf,
  saveAnswer,
  untoldAnswers,
  waitingRequests,
  type WaitingRequest,
} from './request-sql.ts'
import { sightings } from '../gateways/sighting-sql.ts'
import { record } from '../accounts/audit.ts'
import { deviceWith } from '../../core/policy/device-with.ts'
import { ApiError } from '../errors.ts'
import { refuseOutside } from './helper-limit.ts'
import { livePolicy } from './live.ts'
import { makeOverride } from './overrides.ts'
import { notify } from '../outbox/notify.ts'
import { onlyFor } from './override-who.ts'

/** The latest begin of the time that is granted to a device that is allowed now. */
const MAX_DELAY_SECONDS = 12 * HOUR

/** Takes over the requests of the gateway, and tells it what was answered meanwhile. */
export async function followRequests(sql: Sql, gateway: Gateway): Promise<void> {
  const asked = (await gateway.requests()).filter(({ answer }) => answer === null)
  const fresh = await addRequests(sql, asked)
  if (fresh.length > 0) {
    const { policy } = await livePolicy(sql)
    for (const { mac, minutes, words } of fresh) {
      const device = deviceOf(policy, mac)
      const about = words === '' ? '' : `: ${words}`
      await notify(sql, 'request', `${nameOf(policy, mac)} asks for ${minutes} minutes${about}`, {
        device,
        policy,
      })
    }
    await tell(sql, 'requests')
  }
  for (const { id, until } of await untoldAnswers(sql)) {
    // One that the gateway has forgotten is told to nobody any more.
    await gateway.answerRequest(id, { granted: until !== null, until })
    await markTold(sql, id)
  }
}

/** The requests that wait; for a helper those that the limit lets them grant. */
export async function waitingFor(sql: Sql, limit: HelperLimit | null): Promise<AskingAnswer[]> {
  const { policy } = await livePolicy(sql)
  const within = limit && devicesWithin(limit, policy)
  const requests = (await waitingRequests(sql, REQUEST_WAITS)).map((request) => ({
    ...request,
    device: deviceOf(policy, request.mac),
  }))
  return requests.filter(({ device }) => within === null || (device !== null && within.has(device)))
}

/** The answer to a request: the minutes that are granted, `null` = none. */
export interface GivenAnswer {
  readonly minutes: number | null
}

/**
 * Answers a request, once. What is granted begins now, or when a device that is allowed now would be
 * restricted.
 *
 * @throws ApiError `not-found`, `answered-meanwhile`, `beyond-limit`
 */
export function answerRequest(
  sql: Sql,
  id: string,
  { minutes }: GivenAnswer,
  author: string,
  limit: HelperLimit | null,
): Promise<void> {
  return sql.transaction(async (tx) => {
    const request = await requestOf(tx, id)
    if (!request) throw new ApiError('not-found', 'That request is not known.')
    if (request.answeredBy !== null) throw new ApiError('answered-meanwhile', `By ${request.answeredBy}.`)
    const { policy } = await livePolicy(tx)
    const device = deviceOf(policy, request.mac)
    const who = device === null ? onlyFor({ mac: request.mac }) : onlyFor({ device })
    if (limit) refuseOutside(limit, policy, who)
    let until: string | null = null
    if (minutes !== null) {
      const from = await beginOf(tx, policy, request)
      until = instantText(from + minutes * MINUTE)
      const span = { from: instantText(from), until, lasts: null }
      await makeOverride(tx, { effect: 'allow', who, note: request.words, ...span }, author, limit, true)
    }
    await saveAnswer(tx, id, until, author)
    const answer = minutes === null ? 'declined' : `granted for ${minutes} minutes`
    await record(
      tx,
      'request',
      `Request of ${nameOf(policy, request.mac)} for ${request.minutes} minutes ${answer}`,
    )
    await tell(tx, 'requests')
  })
}

/** Returns the begin of the time that is granted, in seconds. */
async function beginOf(sql: Sql, policy: Policy, { mac }: WaitingRequest): Promise<number> {
  const now = Math.floor(Date.now() / 1000)
  const seen = (await sightings(sql)).find((one) => one.mac === mac)
  const compiled = compiledOf(policy)
  const network = seen ? networkOf(policy.networks, seen) : null
  const subject = subjectOf(compiled, { device: deviceOf(policy, mac), macs: [mac], network })
  const [moment] = momentsAt(compiled, [subject], now)
  const ends = moment!.state === 'open' ? moment!.until : null
  return ends !== null && ends < now + MAX_DELAY_SECONDS ? ends : now
}

const deviceOf = (policy: Policy, mac: string) => deviceWith(policy, mac)?.id ?? null
const nameOf = (policy: Policy, mac: string) => deviceWith(policy, mac)?.name ?? mac
