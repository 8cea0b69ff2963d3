/** The subjects of entries of the audit log. */
export const AUDIT_KINDS = [
  'edit',
  'apply',
  'override',
  'request',
  'sign-in',
  'people',
  'settings',
  'export',
] as const
export type AuditKind = (typeof AUDIT_KINDS)[number]

/** An entry of the audit log: who did what, when and from where. */
export interface AuditEntry {
  readonly number: number
  /** An instant (ISO 8601, UTC). */
  readonly at: string
  /** `null` = nobody was signed in; `console` = at the console, or Kairostat by itself. */
  readonly account: string | null
  readonly address: string
  readonly kind: AuditKind
  /** The act in words, a line for each thing. */
  readonly words: string
}

/** `GET /api/audit`: the latest entries that match, at most 200; `more` = there are earlier ones. */
export interface AuditAnswer {
  readonly entries: readonly AuditEntry[]
  readonly more: boolean
  /** Everybody who is named in the log. */
  readonly accounts: readonly string[]
  /** For how many days entries are kept; `null` = for ever. */
  readonly days: number | null
}

/** For how many days entries may be kept; `null` = for ever. */
export const AUDIT_DAYS = [30, 90, 365, 1095, null] as const
