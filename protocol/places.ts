import type { EntryKind } from '../core/policy/kinds.ts'
import type { GatewayState } from './gateway/gateway.ts'
import type { Role } from './roles.ts'

/** A place that somebody may use, in a role. */
export interface OwnPlace {
  readonly id: string
  readonly name: string
  readonly role: Role
}

/** `GET /api/places`: how one of one's places stands. */
export interface PlaceSummary extends OwnPlace {
  readonly timeZone: string
  readonly gateway: GatewayState
  /** Whether its gateway is a simulated one, since none is connected. */
  readonly isSimulated: boolean
  readonly alarms: number
  /** Requests that wait and that one may answer. */
  readonly requests: number
  readonly devices: number
  /** The number of devices that are blocked now. */
  readonly blocked: number
  /** The next change of that, an instant in UTC; `null` = not within 400 days. */
  readonly next: string | null
}

/** `GET /api/places/search`: an entry of a place's draft whose name, note or address matches. */
export interface FoundEntry {
  readonly place: string
  readonly kind: EntryKind
  readonly id: string
  readonly name: string
}

/** The kinds of entries that can be copied into other places: they name no others. */
export const COPIED_KINDS = ['schedule', 'siteList', 'app'] as const
export type CopiedKind = (typeof COPIED_KINDS)[number]

/**
 * `POST /api/copies/review`: what a copy does to the draft of the place; an entry of the same name is
 * replaced.
 */
export interface CopyAnswer {
  readonly name: string
  readonly does: 'add' | 'replace' | 'nothing'
  /** The changes in it, a line for each. */
  readonly words: readonly string[]
}

/** The place of everybody who has but one: addresses without a place mean it. */
export const FIRST = 'first'

/** With what the addresses of a place's pages begin. */
export const pagesOf = (place: string) => (place === FIRST ? '' : `/places/${place}`)
