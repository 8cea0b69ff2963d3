import type { Need } from './roles.ts'

/** The kinds of notices, each with the right that one needs to get it. */
export const NOTICE_NEEDS = {
  'request': 'help',
  'new-device': 'edit',
  'allowance': 'help',
  'list': 'edit',
  'alarm': 'edit',
  'gateway-away': 'edit',
  'gateway-back': 'edit',
  'backup-failed': 'administer',
  'new-address': 'see',
} as const satisfies Readonly<Record<string, Need>>
export type NoticeKind = keyof typeof NOTICE_NEEDS
export const NOTICE_KINDS = Object.keys(NOTICE_NEEDS) as NoticeKind[]

/** `GET /api/notices`: where one's own notices go ('' = nowhere), and which. */
export interface OwnNotices {
  readonly mail: string
  readonly kinds: readonly NoticeKind[]
  /** Whether mail can be sent at all. */
  readonly canMail: boolean
}

/** The ways to send mail: TLS from the beginning, TLS after STARTTLS (RFC 3207), or without. */
export const MAIL_SECURITIES = ['tls', 'starttls', 'none'] as const
export type MailSecurity = (typeof MAIL_SECURITIES)[number]

/** The mail server (SMTP) that takes Kairostat's mail. */
export interface MailServer {
  readonly host: string
  readonly port: number
  readonly security: MailSecurity
  /** '' = without signing in. */
  readonly user: string
  readonly from: string
}

/** `GET /api/mail-server`: `null` = none; the password itself is never told. */
export interface MailServerAnswer {
  readonly server: (MailServer & { readonly hasPassword: boolean }) | null
  /** Why the last mail could not be sent; '' = it could. */
  readonly trouble: string
}

/** `GET /api/webhooks`: an address to which notices are sent. */
export interface WebhookAnswer {
  readonly id: string
  readonly url: string
  readonly kinds: readonly NoticeKind[]
  readonly author: string
  /** The number of notices that wait, and the reason for which the last one could not be sent. */
  readonly waiting: number
  readonly trouble: string
}

/** `POST /api/webhooks`: a new one, with the secret that signs what is sent, told this once. */
export interface MadeWebhook {
  readonly id: string
  readonly secret: string
}
