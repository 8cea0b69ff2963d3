import { errorText } from '../../core/words/error-text.ts'
import { Mutex } from 'async-mutex'
import equal from 'fast-deep-equal'
import type { Logger } from 'pino'
import { offsetsFrom } from '../../core/time/clock-change.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { isTimeZone } from '../../core/time/zone.ts'
import {
  GatewayFailure,
  NoGateway,
  type GatewayChange,
  type Gateway,
  type GatewayStatus,
} from '../../protocol/gateway/gateway.ts'
import { proposalOf } from '../../protocol/gateway/proposal.ts'
import type { GatewayAnswer, LiveAnswer } from '../../protocol/answers.ts'

/** The first and the longest pause before a policy that the gateway could not take is sent again. */
const [FIRST_PAUSE_MS, LONGEST_PAUSE_MS] = [1000, 30_000]
/** The time between two questions for the clock and digest of the gateway. */
const BEAT_MS = 1000

/**
 * The connection to the gateway: it keeps asking, and sees to it that what is live is what the gateway holds.
 */
export interface GatewayLink {
  /** Returns the standing of the gateway. */
  view(): GatewayAnswer
  /** Looks at once: asks the gateway, and sends it what is live where it holds something else. */
  look(): Promise<GatewayAnswer>
  /** Says that what is live may have changed. */
  liveChanged(): void
  stop(): void
}

/** The calls of a gateway that the link uses. */
type LinkedGateway = Pick<Gateway, 'status' | 'enforce' | 'amend' | 'watch'>

/** The surroundings of a link. */
export interface LinkParts {
  readonly gateway: LinkedGateway
  /** Reads the live policy; `null` before the place is set up. */
  readonly live: () => Promise<LiveAnswer | null>
  /** Hears of every change of the view or at the gateway. */
  readonly changed: (change: GatewayChange | 'gateway') => void
  /** Whether a made-up network is tried. */
  readonly isTrial: () => boolean
  readonly log: Logger
}

/** The standing before the gateway was asked. */
const UNASKED: GatewayAnswer = {
  state: 'pending',
  status: null,
  heardAt: null,
  ahead: 0,
  zoneData: null,
  trouble: null,
  isTrial: false,
}

/**
 * Starts the link. A gateway that was away gets what is live when it answers again, without anyone asking.
 */
export function linkGateway(parts: LinkParts): GatewayLink {
  return new Link(parts)
}

class Link implements GatewayLink {
  #view = UNASKED
  /** The policy that the gateway should enforce, and whether it may have changed. */
  #wanted: LiveAnswer | null = null
  #isStale = true
  /** The policy that the gateway took last, and the one that it refused. */
  #taken: LiveAnswer | null = null
  #refusal: { readonly digest: string; readonly words: string } | null = null
  /**
   * Why the gateway could not take what was sent last, and when it is sent again (ms, monotonic); `null` =
   * it could.
   */
  #failure: { readonly words: string; readonly pauseMs: number; readonly dueAt: number } | null = null
  /** One look at a time: who asks during one gets the next, which sees what changed meanwhile. */
  readonly #looking = new Mutex()
  readonly #stop = new AbortController()
  readonly #timer: NodeJS.Timeout

  constructor(private readonly parts: LinkParts) {
    this.#timer = setInterval(() => {
      if (!this.#looking.isLocked())
        this.look().catch((error: unknown) => parts.log.error(error, 'gateway link'))
    }, BEAT_MS)
    void watch(parts.gateway, parts.changed, this.#stop.signal)
  }

  view() {
    return this.#view
  }

  look() {
    return this.#looking.runExclusive(() => this.#lookOnce())
  }

  liveChanged() {
    this.#isStale = true
    // Somebody waits for it: at once, however long the pause would be.
    if (this.#failure) this.#failure = { ...this.#failure, dueAt: -Infinity }
  }

  stop() {
    clearInterval(this.#timer)
    this.#stop.abort()
  }

  async #lookOnce(): Promise<GatewayAnswer> {
    if (this.#isStale) {
      this.#isStale = false
      this.#wanted = await this.parts.live().catch((error: unknown) => {
        this.#isStale = true
        throw error
      })
    }
    try {
      let status = await this.parts.gateway.status()
      if (this.#isToSend(status)) {
        await this.#send(this.#wanted!, status)
        status = await this.parts.gateway.status()
      }
      return this.#show({
        ...this.#standing(status),
        heardAt: instantText(Math.floor(Date.now() / 1000)),
        ahead: aheadOf(status),
        zoneData: zoneDataOf(status),
        isTrial: this.parts.isTrial(),
      })
    } catch (error) {
      const trouble = errorText(error)
      // A gateway that is back may be another program, which can do more, on a machine that has room.
      this.#refusal = null
      this.#failure = null
      if (error instanceof NoGateway) return this.#show({ ...UNASKED, state: 'none' })
      return this.#show({ ...this.#view, state: 'away', trouble })
    }
  }

  #isToSend({ digest }: GatewayStatus): boolean {
    const wanted = this.#wanted?.digest
    if (wanted === undefined || wanted === digest || this.#refusal?.digest === wanted) return false
    return this.#failure === null || performance.now() >= this.#failure.dueAt
  }

  /**
   * Sends what is live; what the gateway cannot take now is sent again later. Where only the overrides differ
   * from what the gateway holds, they alone are sent: a policy may carry a million names.
   */
  async #send(next: LiveAnswer, status: GatewayStatus): Promise<void> {
    try {
      await this.#sendOnce(next, status)
      this.#failure = null
    } catch (error) {
      if (!(error instanceof GatewayFailure)) throw error
      const pauseMs = Math.min(LONGEST_PAUSE_MS, this.#failure ? this.#failure.pauseMs * 2 : FIRST_PAUSE_MS)
      this.#failure = { words: error.message, pauseMs, dueAt: performance.now() + pauseMs }
    }
  }

  async #sendOnce(next: LiveAnswer, { digest }: GatewayStatus): Promise<void> {
    const { gateway, log } = this.parts
    const onlyOverrides =
      this.#taken !== null &&
      this.#taken.digest === digest &&
      this.#taken.revision?.number === next.revision?.number
    const isAmended = onlyOverrides && (await gateway.amend(next.policy.overrides, next.digest)) === null
    const faults = isAmended ? null : await gateway.enforce(proposalOf(next.policy))
    this.#taken = faults ? null : next
    this.#refusal = faults && {
      digest: next.digest,
      words: faults.map(({ path, message }) => `${path} ${message}`).join('; '),
    }
    if (!faults) log.info({ digest: next.digest }, 'policy in force')
  }

  #standing(status: GatewayStatus): Pick<GatewayAnswer, 'state' | 'status' | 'trouble'> {
    const digest = this.#wanted?.digest ?? null
    if (digest !== null && status.digest === digest) return { state: 'in-force', status, trouble: null }
    if (this.#refusal !== null && this.#refusal.digest === digest)
      return { state: 'refused', status, trouble: this.#refusal.words }
    return { state: 'pending', status, trouble: this.#failure?.words ?? null }
  }

  /** Takes another view, and tells where it says something else. */
  #show(next: GatewayAnswer): GatewayAnswer {
    const before = this.#view
    this.#view = next
    if (next.state !== before.state)
      this.parts.log.info({ state: next.state, trouble: next.trouble }, 'gateway')
    if (saysElse(before, next)) this.parts.changed('gateway')
    return next
  }
}

/** Whether two views differ in more than the time at which they were taken. */
function saysElse(before: GatewayAnswer, next: GatewayAnswer): boolean {
  const facts = ({ state, trouble, status, zoneData, isTrial }: GatewayAnswer) => [
    state,
    trouble,
    status?.digest,
    status?.timeZone,
    zoneData?.theirs,
    status?.alarms,
    status?.settings,
    status?.interfaces,
    isTrial,
  ]
  return !equal(facts(before), facts(next)) || Math.abs(next.ahead - before.ahead) > 2
}

async function watch(
  gateway: Pick<Gateway, 'watch'>,
  changed: (change: GatewayChange) => void,
  signal: AbortSignal,
): Promise<void> {
  while (!signal.aborted) {
    // A gateway that is away is told of by the beat; here it only means to try again.
    await gateway.watch(changed, signal).catch(() => {})
    await new Promise((resolve) => setTimeout(resolve, BEAT_MS))
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
