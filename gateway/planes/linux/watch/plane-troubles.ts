import { instantText } from '../../../../core/time/instant.ts'
import type { Trouble } from '../../../../protocol/gateway/alarm.ts'
import { UNTIL_OVER, troubleLog } from '../../../state/trouble-log.ts'
import type { RouterClock } from './clock.ts'
import { AwayFault } from '../system.ts'

/** The surroundings of a plane's troubles. */
export interface PlaneTroublesParts {
  readonly clock: RouterClock
  /** Hears that the troubles are others now. */
  readonly changed: () => void
  /** Told of what could not be done while nobody asked. */
  readonly fault: (error: unknown, doing: string) => void
}

/** The troubles that a Linux plane notices. */
export class PlaneTroubles {
  readonly #log = troubleLog()
  #lastFault = ''
  /** The router that cannot be reached; `null` = it can. */
  #awayHost: string | null = null
  #otherDriver: string | null = null
  #clockPast: string | null = null

  /** Knows of none. */
  constructor(private readonly parts: PlaneTroublesParts) {}

  /** Those that are told now. */
  all(): readonly Trouble[] {
    return this.#log.all(this.parts.clock.seconds())
  }

  /** Notes one, which is told for so many seconds. */
  note(kind: Trouble['kind'], about: string, told: number): void {
    this.#log.note(kind, about, this.parts.clock.seconds(), told)
  }

  /** Notes whether the router knows the MAC address of this machine, by its IP address. */
  controller(address: string, isKnown: boolean): void {
    if (isKnown) this.#log.over('controller', address)
    else this.note('controller', address, UNTIL_OVER)
  }

  /** Notes before which time (seconds) the clock is wrong; `null` = it is right. */
  clockPast(before: number | null): void {
    const about = before === null ? null : instantText(before)
    if (about === this.#clockPast) return
    if (this.#clockPast !== null) this.#log.over('clock-past', this.#clockPast)
    if (about !== null) this.note('clock-past', about, UNTIL_OVER)
    this.#clockPast = about
    this.parts.changed()
  }

  /** Notes which other machine drives the router. */
  otherDriver(name: string | null): void {
    if (name === this.#otherDriver) return
    if (this.#otherDriver !== null) this.#log.over('other-driver', this.#otherDriver)
    if (name !== null) this.note('other-driver', name, UNTIL_OVER)
    this.#otherDriver = name
    this.parts.changed()
  }

  /** Notes whether an upstream answers. */
  upstream(host: string, answers: boolean): void {
    if (answers) this.#log.over('upstream', host)
    else this.note('upstream', host, UNTIL_OVER)
    this.parts.changed()
  }

  /** Notes what went wrong; what does again and again is told once. */
  fault(error: unknown, doing: string): void {
    if (error instanceof AwayFault && this.#awayHost === null) {
      this.#awayHost = error.host
      this.note('unreachable', error.host, UNTIL_OVER)
      this.parts.changed()
    }
    if (String(error) !== this.#lastFault) this.parts.fault(error, doing)
    this.#lastFault = String(error)
  }

  /** Notes that all went well. */
  fine(): void {
    this.#lastFault = ''
    if (this.#awayHost === null) return
    this.#log.over('unreachable', this.#awayHost)
    this.#awayHost = null
    this.parts.changed()
  }
}
