import type { Logger } from 'pino'
import { alarmKey, type Alarm } from '../../protocol/gateway/alarm.ts'
import type { GatewayAnswer } from '../../protocol/answers.ts'
import type { Sighting } from '../../protocol/gateway/gateway.ts'
import type { Sql } from '../database/database.ts'
import { alarmFacts } from './alarm-facts.ts'
import { livePolicy } from '../live/live.ts'
import { notify } from '../outbox/notify.ts'
import { makerOf } from '../gateways/vendor.ts'

/** For how long a gateway is away before it is told, in milliseconds: it may only be restarted. */
const AWAY_MS = 30_000

/** Of how many new devices at once each is told by itself. */
const MOST_TOLD = 10

/** Tells those who want to hear of it what becomes of the gateway, and who is new on the network. */
export class GatewayWatch {
  /**
   * The alarms that are known; `null` until the gateway was heard: those that were there before are not
   * news.
   */
  #alarms: ReadonlySet<string> | null = null
  #awayTimer: NodeJS.Timeout | null = null
  #isToldAway = false

  constructor(
    private readonly sql: Sql,
    private readonly log: Logger,
    private readonly awayMs = AWAY_MS,
  ) {}

  /** Looks at how the gateway stands. */
  async look({ state, status, trouble }: GatewayAnswer): Promise<void> {
    if (state === 'away') {
      this.#awayTimer ??= setTimeout(() => this.#tellAway(trouble ?? ''), this.awayMs).unref()
      return
    }
    this.#stopTimer()
    if (state === 'none') this.#isToldAway = false
    if (this.#isToldAway) {
      this.#isToldAway = false
      await notify(this.sql, 'gateway-back', 'The gateway answers again.')
    }
    if (status) await this.#lookAtAlarms(status.alarms)
  }

  /** Tells of devices that were never seen before and belong to nobody. */
  async tellNew(seen: readonly Sighting[]): Promise<void> {
    if (seen.length === 0) return
    const { policy } = await livePolicy(this.sql)
    const known = new Set(policy.devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac)))
    const fresh = seen.filter((one) => !known.has(one.mac))
    if (fresh.length > MOST_TOLD) {
      await notify(this.sql, 'new-device', `${fresh.length} new devices on the network at once`)
      return
    }
    for (const { mac, hostName } of fresh) {
      const facts = [hostName === null ? null : mac, await makerOf(mac)].filter(Boolean).join(', ')
      await notify(this.sql, 'new-device', `New on the network: ${hostName ?? mac}${facts && ` (${facts})`}`)
    }
  }

  stop(): void {
    this.#stopTimer()
  }

  #stopTimer(): void {
    if (this.#awayTimer) clearTimeout(this.#awayTimer)
    this.#awayTimer = null
  }

  #tellAway(trouble: string): void {
    this.#isToldAway = true
    notify(this.sql, 'gateway-away', `The gateway does not answer. ${trouble}`.trim()).catch(
      (error: unknown) => this.log.warn(error, 'notice'),
    )
  }

  async #lookAtAlarms(alarms: readonly Alarm[]): Promise<void> {
    const before = this.#alarms
    this.#alarms = new Set(alarms.map(alarmKey))
    const fresh = before ? alarms.filter((alarm) => !before.has(alarmKey(alarm))) : []
    if (fresh.length === 0) return
    const { policy } = await livePolicy(this.sql)
    for (const alarm of fresh) {
      const { what, remedy } = alarmFacts(policy, alarm)
      await notify(this.sql, 'alarm', `${what} ${remedy}`)
    }
  }
}
