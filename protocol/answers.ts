import type { ChangeCounts } from '../core/change/entries.ts'
import type { Fault } from '../core/policy/shape.ts'
import type { Effect, Override, Policy } from '../core/policy/types.ts'
import type { WifiAccess } from '../core/export/wifi.ts'
import type { SavedActForm } from './edits.ts'
import type { HelperLimit, Role, TokenRole } from './roles.ts'
import type { OwnPlace } from './places.ts'
import type { AccessRequest } from './request.ts'
import type { AllowanceNews } from './gateway/allowance.ts'
import type { GatewayState, GatewayStatus, Lookup, Sighting } from './gateway/gateway.ts'

/** `GET /api/session`: who is signed in, and whether anybody can be yet. */
export interface SessionAnswer {
  readonly account: string | null
  readonly role: Role | null
  readonly limit: HelperLimit | null
  readonly setUp: boolean
  /** The places that the account may use, the first made first. */
  readonly places: readonly OwnPlace[]
}

/** `GET /api/account/second-factor`: whether one is on, and how many recovery codes are left. */
export interface SecondFactorAnswer {
  readonly isOn: boolean
  readonly codesLeft: number
}

/** `POST /api/account/second-factor`: a new secret, for an authenticator app; as text, and as a URI. */
export interface SecondFactorOffer {
  readonly secret: string
  readonly uri: string
}

/** `PUT /api/account/second-factor`: it is on; the recovery codes are told this once. */
export interface RecoveryCodes {
  readonly codes: readonly string[]
}

/** `GET /api/certificate`: what a browser shows of the certificate with which Kairostat is served. */
export interface CertificateAnswer {
  /** `null` = without TLS. */
  readonly certificate: {
    /** SHA-256, in pairs of hexadecimal digits with colons. */
    readonly fingerprint: string
    /** Until when it is valid (ISO 8601, UTC). */
    readonly until: string
    /** Whether Kairostat made it. */
    readonly isOwn: boolean
  } | null
}

/**
 * `GET /api/live`: the policy in force with its overrides, and the revision that it is; before the first
 * revision an empty one.
 */
export interface LiveAnswer {
  readonly policy: Policy
  readonly digest: string
  readonly revision: {
    readonly number: number
    readonly author: string
    readonly note: string
    readonly createdAt: string
  } | null
}

/** `GET /api/allowances`: what was used of allowances by an instant of the gateway's clock. */
export type AllowanceAnswer = Pick<AllowanceNews, 'at' | 'uses'>

/**
 * `GET /api/history`: what was in force in `[from, until)` (`null` = from ever, until now): a revision with
 * the overrides of its time, its lists without entries; before the first revision (`number` null) nobody was
 * restricted.
 */
export interface PeriodAnswer {
  readonly number: number | null
  readonly from: string | null
  readonly until: string | null
  readonly policy: Policy
}

/** `GET /api/revisions`: every policy that was applied, the latest first. */
export interface RevisionAnswer {
  readonly number: number
  readonly digest: string
  readonly author: string
  readonly note: string
  readonly createdAt: string
  /** How many entries of each kind it changed; null = applied before Kairostat noted that. */
  readonly changed: ChangeCounts | null
}

/**
 * `GET /api/sightings`: every address that was ever seen, the latest first, with its maker where the IEEE
 * registry knows it, whether it was left alone, and whether it is the machine that asks.
 */
export type SightingAnswer = Sighting & {
  readonly maker: string | null
  readonly leftAlone: boolean
  readonly yours: boolean
}

/**
 * `GET /api/lookups`: a name (ASCII form) that was looked up in the last seven days: by how many adapters,
 * how often, how often in vain, and when last.
 */
export interface SeenNameAnswer {
  readonly name: string
  readonly adapters: number
  readonly tries: number
  readonly blocked: number
  readonly last: string
}

/**
 * `GET /api/lookups/search`: the latest runs of look-ups that fit, at most two hundred; `more` says whether
 * there are earlier ones.
 */
export interface LookupsAnswer {
  readonly runs: readonly Lookup[]
  readonly more: boolean
}

/** `GET /api/lookups/refused`: a name that was blocked, and how often. */
export interface RefusedAnswer {
  readonly name: string
  readonly tries: number
}

/**
 * `GET /api/usage`: what an adapter used in a network (empty = in none that the policy names) in an hour or
 * on a day: bytes that it sent and received, packets both ways, packets and look-ups that were dropped, and
 * minutes in which it was active. `at` is the instant at which the hour begins, or the date of the place.
 */
export interface UsageAnswer {
  readonly mac: string
  readonly network: string
  readonly at: string
  readonly sent: number
  readonly received: number
  readonly packets: number
  readonly dropped: number
  readonly minutes: number
}

/**
 * `GET /api/overrides`: what was done to overrides by whom, the latest first; `until` is the end that it then
 * had.
 */
export interface OverrideActAnswer {
  readonly override: string
  readonly act: 'made' | 'changed' | 'lifted'
  readonly effect: Effect
  readonly who: Override['who']
  readonly what: Override['what']
  readonly more: Override['more']
  readonly until: string | null
  readonly note: string
  readonly author: string
  readonly at: string
}

/**
 * A guest pass: it waits `until` an instant, or was `usedBy` an address, which an `override` allows since.
 */
export interface GuestPassAnswer {
  readonly id: string
  readonly network: string | null
  readonly lasts: number
  readonly until: string
  readonly author: string
  readonly usedBy: string | null
  readonly override: string | null
}

/**
 * `GET /api/guest-passes`: the passes that wait and those of the last hour, the latest first, and how one joins
 * each network, by its id, as far as that was given.
 */
export interface GuestPassesAnswer {
  readonly passes: readonly GuestPassAnswer[]
  readonly wifi: Readonly<Record<string, WifiAccess>>
}

/**
 * `GET /api/requests`: a request for more time that waits; `device` is its id, `null` = an unknown device.
 */
export type AskingAnswer = Pick<AccessRequest, 'id' | 'mac' | 'minutes' | 'words' | 'at'> & {
  readonly device: string | null
}

/** `GET /api/asides`: the findings that were dismissed, by their marks, with the reason and by whom. */
export interface DismissalAnswer {
  readonly mark: string
  readonly reason: string
  readonly author: string
}

/** `GET /api/tokens`: the tokens by which programs may ask what is live, without the tokens themselves. */
export interface TokenAnswer {
  readonly id: string
  readonly name: string
  readonly author: string
  readonly role: TokenRole
  readonly madeAt: string
  readonly usedAt: string | null
  /** The time at which it ends by itself; `null` = not at all. */
  readonly until: string | null
}

/** `POST /api/tokens`: a new token, told this once. */
export interface MadeToken {
  readonly id: string
  readonly token: string
}

/** `GET /api/draft/parts`: of the draft what is not as the sender's mark of it says, and its mark now. */
export interface DraftPartsAnswer {
  readonly mark: string
  readonly parts: Partial<Omit<Policy, 'kairostat' | 'overrides' | 'spent'>>
}

/**
 * `GET /api/draft/steps`: the edit of the draft that can be undone and the one that can be redone, by number;
 * with the entry that each is about ("rule Quiet bench").
 */
export interface StepsAnswer {
  readonly undo: number | null
  readonly redo: number | null
  readonly titles: { readonly undo: string; readonly redo: string }
}

/** `GET /api/gateway`: how the gateway stands to what is live. */
export interface GatewayAnswer {
  readonly state: GatewayState
  /** Its last status, and the time of that by our clock. */
  readonly status: GatewayStatus | null
  readonly heardAt: string | null
  /** The seconds by which its clock is ahead of ours. */
  readonly ahead: number
  /**
   * The first difference between its time-zone data and ours for its zone: theirs and ours; `null`
   * where they agree.
   */
  readonly zoneData: { readonly theirs: string; readonly ours: string } | null
  /** Why it is away, or what it refuses. */
  readonly trouble: string | null
  /** Whether a made-up network is tried, which can be left again. */
  readonly isTrial: boolean
}

/** The answer of every route that refuses or fails; `faults` name places in what was sent. */
export interface ErrorAnswer {
  readonly code: string
  readonly message: string
  readonly faults?: readonly Fault[]
}

/** `GET /api/saved-acts`: an act under a name of one's own, and who saved it. */
export interface SavedActAnswer extends SavedActForm {
  readonly id: string
  readonly author: string
}

/** The topics of `GET /api/events`: each is a thing to ask for again. */
export const TOPICS = [
  'draft',
  'live',
  'gateway',
  'sightings',
  'evidence',
  'allowances',
  'lists',
  'requests',
  'saved-acts',
  'session',
] as const
export type Topic = (typeof TOPICS)[number]
