import equal from 'fast-deep-equal'
import type { Logger } from 'pino'
import { offsetsFrom } from '../../core/time/clock-change.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { isTimeZone } from '../../core/time/zone.ts'
import type { GatewayChange, Gateway, GatewayStatus } from '../../protocol/gateway.ts'
import { proposalOf } from '../../protocol/proposal.ts'
import type { GatewayAnswer, LiveAnswer } from '../../protocol/answers.ts'

/** How often the gateway is asked for its clock and digest, in milliseconds. */
const BEAT = 1000

/**
 * The connection to the gateway: it keeps asking, and sees to it that what is live is what the gateway holds.
 */
export interface GatewayLink {
  /** How the gateway stands now. */
  view(): GatewayAnswer
  /** Looks at once: asks the gateway, and sends it what is live where it holds something else. */
  look(): Promise<GatewayAnswer>
  /** Says that what is live may have changed. */
  liveChanged(): void
  stop(): void
}

/**
 * Starts the link. `live` gives what should be in force (`null` before the place is set up); `told` hears of
 * every change of the view or at the gateway. A gateway
 * that was away gets what is live when it answers again, without anyone asking.
 */
export function linkGateway(
  gateway: Pick<Gateway, 'status' | 'enforce' | 'amend' | 'watch'>,
  live: () => Promise<LiveAnswer | null>,
  told: (change: GatewayChange | 'gateway') => void,
  log: Logger,
): GatewayLink {
  let view: GatewayAnswer = {
    state: 'pending',
    status: null,
    heardAt: null,
    ahead: 0,
    zoneData: null,
    trouble: null,
  }
  let wanted: LiveAnswer | null = null
  let stale = true
  /** What the gateway took last. */
  let taken: LiveAnswer | null = null
  let refusal: { digest: string; words: string } | null = null
  let queue: Promise<GatewayAnswer> = Promise.resolve(view)
  let waiting = 0
  const stop = new AbortController()

  const show = (next: GatewayAnswer) => {
    const changed =
      next.state !== view.state ||
      next.trouble !== view.trouble ||
      next.status?.digest !== view.status?.digest ||
      next.status?.timeZone !== view.status?.timeZone ||
      next.zoneData?.theirs !== view.zoneData?.theirs ||
      !equal(next.status?.alarms, view.status?.alarms) ||
      !equal(next.status?.settings, view.status?.settings) ||
      Math.abs(next.ahead - view.ahead) > 2
    if (next.state !== view.state) log.info({ state: next.state, trouble: next.trouble }, 'gateway')
    view = next
    if (changed) told('gateway')
    return view
  }
  const beat = async (): Promise<GatewayAnswer> => {
    if (stale) {
      stale = false
      wanted = await live()
    }
    try {
      let status = await gateway.status()
      if (wanted && wanted.digest !== status.digest && refusal?.digest !== wanted.digest) {
        const faults = await send(wanted, status)
        refusal = faults && {
          digest: wanted.digest,
          words: faults.map(({ path, message }) => `${path} ${message}`).join('; '),
        }
        if (!faults) log.info({ digest: wanted.digest }, 'policy in force')
        status = await gateway.status()
      }
      return show({
        ...standing(status, wanted?.digest ?? null),
        heardAt: instantText(Math.floor(Date.now() / 1000)),
        ahead: aheadOf(status),
        zoneData: zoneDataOf(status),
      })
    } catch (error) {
      return show({ ...view, state: 'away', trouble: error instanceof Error ? error.message : String(error) })
    }
  }
  // Where only the overrides differ from what the gateway holds, they alone are sent: a policy may carry a
  // million names.
  const send = async (next: LiveAnswer, { digest }: GatewayStatus) => {
    const only = taken && taken.digest === digest && taken.revision?.number === next.revision?.number
    const faults =
      only && (await gateway.amend(next.policy.overrides, next.digest)) === null
        ? null
        : await gateway.enforce(proposalOf(next.policy))
    taken = faults ? null : next
    return faults
  }
  const standing = (
    status: GatewayStatus,
    digest: string | null,
  ): Pick<GatewayAnswer, 'state' | 'status' | 'trouble'> => {
    if (digest !== null && status.digest === digest) return { state: 'in-force', status, trouble: null }
    if (refusal?.digest === digest) return { state: 'refused', status, trouble: refusal!.words }
    return { state: 'pending', status, trouble: null }
  }
  // One at a time: who asks during a beat gets the next, which sees what changed meanwhile.
  const look = (): Promise<GatewayAnswer> => {
    waiting++
    queue = queue.then(beat, beat).finally(() => waiting--)
    return queue
  }
  const timer = setInterval(() => {
    if (waiting === 0) look().catch((error: unknown) => log.error(error, 'gateway link'))
  }, BEAT)
  void watch(gateway, told, stop.signal)

  return {
    view: () => view,
    look,
    liveChanged: () => {
      stale = true
    },
    stop: () => {
      clearInterval(timer)
      stop.abort()
    },
  }
}

async function watch(
  gateway: Pick<Gateway, 'watch'>,
  told: (change: GatewayChange) => void,
  signal: AbortSignal,
): Promise<void> {
  while (!signal.aborted) {
    // A gateway that is away is told of by the beat; here it only means to try again.
    await gateway.watch(told, signal).catch(() => {})
    await new Promise((resolve) => setTimeout(resolve, BEAT))
  }
}

function zoneDataOf({ clock, timeZone, offsets }: GatewayStatus): GatewayAnswer['zoneData'] {
  const ours = isTimeZone(timeZone) ? offsetsFrom(timeZone, readInstant(clock)!) : []
  const index = [...ours, ...offsets].findIndex((_, at) => ours[at] !== offsets[at])
  return index < 0 ? null : { theirs: offsets[index] ?? 'none', ours: ours[index] ?? 'none' }
}

// The answer is at most a beat old, and its clock is cut to the second: half a second is the middle of what
// it may have read.
function aheadOf(status: GatewayStatus): number {
  return Math.round(readInstant(status.clock)! + 0.5 - Date.now() / 1000)
}
