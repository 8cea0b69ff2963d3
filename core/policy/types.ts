/**
 * The whole policy of one place, read and normalised: every list and flag is there, texts are in canonical
 * form. See docs/policy.md.
 */
export interface Policy {
  readonly kairostat: 1
  readonly place: Place
  readonly devices: readonly Device[]
  readonly networks: readonly Network[]
  readonly groups: readonly Group[]
  readonly schedules: readonly Schedule[]
  readonly siteLists: readonly SiteList[]
  readonly apps: readonly App[]
  readonly rules: readonly Rule[]
  readonly overrides: readonly Override[]
  /** The times at which allowances were used up; no part of the digest. */
  readonly spent: readonly Spent[]
}

/** A network with its gateway; `timeZone` is an IANA name. */
export interface Place {
  readonly name: string
  readonly timeZone: string
}

export const MEDIUMS = ['wifi', 'ethernet', 'other'] as const
export type Medium = (typeof MEDIUMS)[number]

/** A network card; `mac` in lower case with colons. */
export interface Adapter {
  readonly mac: string
  readonly medium: Medium
}

/** The kind of a device, for its drawing and for warnings; no decision depends on it. */
export const DEVICE_KINDS = [
  'phone',
  'tablet',
  'laptop',
  'desktop',
  'reader',
  'watch',
  'screen',
  'console',
  'speaker',
  'camera',
  'printer',
  'storage',
  'terminal',
  'machine',
  'other',
] as const
export type DeviceKind = (typeof DEVICE_KINDS)[number]

export interface Device {
  readonly id: string
  readonly name: string
  readonly kind: DeviceKind
  readonly adapters: readonly Adapter[]
  readonly shielded: boolean
  readonly note: string
}

/**
 * A part of the place: a VLAN, a guest Wi-Fi, a range of addresses. `interfaces` are interfaces of the
 * gateway, `subnets` address blocks;
 * at least one of the two is given. See `networkOf`.
 */
export interface Network {
  readonly id: string
  readonly name: string
  readonly interfaces: readonly string[]
  readonly subnets: readonly string[]
  readonly note: string
}

export interface Group {
  readonly id: string
  readonly name: string
  readonly members: readonly string[]
  /** Whether the group is somebody, whose devices its members are: a device is one person's at most. */
  readonly person: boolean
  readonly note: string
}

/** Dates with other hours, both ends included. */
export interface Exception {
  readonly from: string
  readonly until: string
  readonly hours: string
  /** The name of the dates, such as "Christmas"; may be empty. */
  readonly name: string
}

export interface Schedule {
  readonly id: string
  readonly name: string
  readonly week: string
  readonly exceptions: readonly Exception[]
  readonly note: string
}

export interface SiteList {
  readonly id: string
  readonly name: string
  readonly entries: readonly string[]
  readonly note: string
}

export interface App {
  readonly id: string
  readonly name: string
  readonly category: string
  readonly sites: readonly string[]
  readonly services: readonly string[]
  readonly note: string
}

export const EFFECTS = ['block', 'allow'] as const
export type Effect = (typeof EFFECTS)[number]

export interface Who {
  readonly everyone: boolean
  readonly newcomers: boolean
  readonly devices: readonly string[]
  readonly groups: readonly string[]
  readonly networks: readonly string[]
  readonly except: {
    readonly devices: readonly string[]
    readonly groups: readonly string[]
    readonly networks: readonly string[]
  }
}

/**
 * The subjects of an override: `macs` are addresses (lower case, colons) of unknown devices, or of adapters
 * of known ones.
 */
export interface OverrideWho extends Who {
  readonly macs: readonly string[]
}

/** `internet`, or any of the lists; where `internet` is true the lists are empty. */
export interface What {
  readonly internet: boolean
  readonly sites: readonly string[]
  readonly siteLists: readonly string[]
  readonly keywords: readonly string[]
  readonly apps: readonly string[]
  readonly categories: readonly string[]
  readonly services: readonly string[]
}

/** Always; during or outside the union of schedules; or once, between two local date-times of the place. */
export type When =
  | { readonly always: true }
  | { readonly schedules: readonly string[]; readonly outside: boolean }
  | { readonly from: string; readonly until: string }

/** An amount of use: active minutes, or what passed both ways in units of 1,000,000 bytes. */
export type Amount = { readonly minutes: number } | { readonly megabytes: number }

export const PERIODS = ['day', 'week'] as const

/**
 * The amount that may be used in each period: a day or a week of the place's calendar from a local time
 * (`04:00`) on, by each to whom the rule applies, or with `shared` by all of them together.
 */
export type Allowance = Amount & {
  readonly per: (typeof PERIODS)[number]
  readonly from: string
  readonly shared: boolean
}

export interface Rule {
  readonly id: string
  readonly name: string
  readonly enabled: boolean
  /** It decides nothing, and the gateway keeps what it would have decided. */
  readonly logOnly: boolean
  readonly effect: Effect
  readonly who: Who
  readonly what: What
  readonly when: When
  /** The allowance that may be used before it blocks; `null` = it blocks at once. */
  readonly after: Allowance | null
  readonly note: string
}

/**
 * A temporary block or opening of `what` (`null` = of the internet as a whole), or with `more` an addition to
 * allowances; instants in UTC, half-open, `until: null` = until lifted.
 */
export interface Override {
  readonly id: string
  readonly effect: Effect
  readonly who: OverrideWho
  readonly what: What | null
  readonly more: Amount | null
  readonly from: string
  readonly until: string | null
  readonly note: string
}

/**
 * A time in which a rule's allowance was used up; instants in UTC, half-open. `device` and `mac` (of an unknown
 * device) say whose; both are `null` where the allowance is shared.
 */
export interface Spent {
  readonly rule: string
  readonly device: string | null
  readonly mac: string | null
  readonly from: string
  readonly until: string
}
