import { randomBytes } from 'node:crypto'
import { setTimeout as pause } from 'node:timers/promises'
import { gatewayAt, pairWith } from '../../gateway/transport/http-client.ts'
import { CODE_LASTS } from '../../gateway/transport/pairing.ts'
import { newCode } from '../../node/code.ts'
import type { SwitchedGateway } from '../../gateway/transport/switched.ts'
import { instantText } from '../../core/time/instant.ts'
import type { PairingAnswer } from '../../protocol/gateway/gateway.ts'
import type { Actor, Sql } from '../database/database.ts'
import { pairedGateway, savePairedGateway, type PairedGateway } from './paired-gateway-sql.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'
import type { RouterDriver } from '../../gateway/router/driver.ts'

/** The time between two tries of a gateway that waits for our code. */
const AGAIN_MS = 2000

/** The surroundings of the pairing of a place. */
interface PairingParts {
  readonly sql: Sql
  readonly gateway: SwitchedGateway
  /** Drives a router over SSH while no gateway is paired. */
  readonly router: RouterDriver
  readonly fault: (error: unknown, doing: string) => void
  /** Hears that a gateway is paired, and forgets a made-up network. */
  readonly paired: () => Promise<void>
}

/** A code that is to be typed at the gateway. */
interface Waiting {
  readonly address: string
  readonly code: string
  readonly until: number
  readonly stop: AbortController
}

/** The gateway of a place: one that was paired by a code over TLS, or else what the router's driver has. */
export class GatewayPairing {
  #paired: PairedGateway | null = null
  #waiting: Waiting | null = null

  constructor(private readonly parts: PairingParts) {}

  /** Takes up what was paired. */
  async start(): Promise<void> {
    const paired = await pairedGateway(this.parts.sql)
    if (paired) this.#use(paired)
    else await this.parts.router.start()
  }

  async stop(): Promise<void> {
    this.#waiting?.stop.abort()
    await this.parts.router.stop()
  }

  answer(): PairingAnswer {
    const waiting = this.#waiting
    return {
      address: this.#paired?.address ?? null,
      waiting: waiting && {
        address: waiting.address,
        code: waiting.code,
        until: instantText(Math.floor(waiting.until / 1000)),
      },
    }
  }

  /**
   * Pairs with a gateway by the code that it shows.
   *
   * @throws ApiError `not-possible` where it does not take it; then nothing changed
   */
  async pair(address: string, code: string, by?: Actor): Promise<void> {
    this.#refuseRouter()
    const secret = randomBytes(32).toString('base64url')
    await pairWith(address, code, secret).catch((error: Error) => {
      throw new ApiError('not-possible', `${address} could not be paired: ${error.message}.`)
    })
    await this.#take({ address, secret }, by)
  }

  /** Shows a code for the gateway, and pairs with it as soon as it was typed there, within ten minutes. */
  wait(address: string, by?: Actor): void {
    this.#refuseRouter()
    this.#waiting?.stop.abort()
    const waiting = { address, code: newCode(), until: Date.now() + CODE_LASTS, stop: new AbortController() }
    this.#waiting = waiting
    this.#try(waiting, by).catch((error: unknown) => this.parts.fault(error, 'pairing the gateway'))
  }

  async #try(waiting: Waiting, by?: Actor): Promise<void> {
    const { address, code, until, stop } = waiting
    const secret = randomBytes(32).toString('base64url')
    while (!stop.signal.aborted && Date.now() < until) {
      const isPaired = await pairWith(address, code, secret).then(
        () => true,
        () => false,
      )
      if (isPaired && !stop.signal.aborted) return this.#take({ address, secret }, by)
      await pause(AGAIN_MS, undefined, { ref: false })
    }
    if (this.#waiting === waiting) this.#waiting = null
  }

  /** Ends a pairing, or the wait for one. */
  async unpair(by?: Actor): Promise<void> {
    this.#waiting?.stop.abort()
    this.#waiting = null
    if (!this.#paired) return
    const { sql, router } = this.parts
    await sql.transaction(async (tx) => {
      await savePairedGateway(tx, null)
      await record(tx, 'settings', 'Gateway disconnected', by)
    })
    this.#paired = null
    await router.start()
  }

  async #take(paired: PairedGateway, by?: Actor): Promise<void> {
    const { sql } = this.parts
    const isFirst = this.#paired === null
    this.#waiting?.stop.abort()
    this.#waiting = null
    await sql.transaction(async (tx) => {
      await savePairedGateway(tx, paired)
      await record(tx, 'settings', `Gateway ${paired.address} paired`, by)
    })
    if (isFirst) {
      await this.parts.router.rest()
      await this.parts.paired()
    }
    this.#use(paired)
  }

  #use(paired: PairedGateway): void {
    this.#paired = paired
    this.parts.gateway.use(gatewayAt(`tls://${paired.address}`, paired.secret))
  }

  #refuseRouter(): void {
    if (this.parts.router.isPaired)
      throw new ApiError('not-possible', 'A router is connected over SSH: disconnect it first.')
  }
}

/**
 * Returns the pairing of the place.
 *
 * @throws ApiError `not-possible` where the application was started for a certain gateway
 */
export function pairingOf(pairing: GatewayPairing | null): GatewayPairing {
  if (pairing) return pairing
  throw new ApiError(
    'not-possible',
    'KAIROSTAT_GATEWAY names the gateway: start Kairostat without it to pair one here.',
  )
}
