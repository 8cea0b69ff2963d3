import type { LanInterface } from './gateway/gateway.ts'

/** The address of a router over SSH. */
export interface RouterAddress {
  readonly address: string
  readonly port: number
  readonly user: string
}

/** A router that is to let us in, once by the password of its user, bound or not. */
export interface LetIn extends RouterAddress {
  readonly password: string
  readonly isBound: boolean
}

/**
 * A router that this program drives: the interfaces of its local network, and what of look-ups is left
 * without us.
 */
export interface RouterPairing extends RouterAddress {
  readonly lans: readonly string[]
  readonly fallback: 'open' | 'closed'
  /**
   * The devices whose connections its firewall may forward past the rules: all, or those that are
   * never restricted.
   */
  readonly offload: 'all' | 'unrestricted'
  /** Whether the last table is kept on the router, which loads it when it starts. */
  readonly startUp: boolean
}

/** A file that is written to a router, with its rights as chmod takes them. */
export interface StartUpFile {
  readonly path: string
  readonly mode: string
  readonly text: string
}

/**
 * `GET /api/router/start-up`: whether the last table is kept on the router, what loads it there, and the
 * command that writes that, where our key may not.
 */
export interface StartUpAnswer {
  readonly isKept: boolean
  readonly files: readonly StartUpFile[]
  readonly command: string
}

/** An interface of a router; the one that `leadsOut` is towards the internet. */
export interface RouterInterface extends LanInterface {
  readonly leadsOut: boolean
}

/** The findings on a router. */
export interface RouterReport {
  /** The fingerprint of its host key (RFC 4255 names the digest), as OpenSSH shows it. */
  readonly fingerprint: string
  readonly versions: readonly string[]
  /** By how many seconds its clock is ahead of ours. */
  readonly ahead: number
  readonly interfaces: readonly RouterInterface[]
  /** The flow tables of its firewall, each by family, table and name. */
  readonly flowTables: readonly string[]
  /**
   * The parts that are missing or in the way, and their cost; without a `needed` one the router cannot be
   * used.
   */
  readonly gaps: readonly { readonly what: string; readonly costs: string; readonly needed: boolean }[]
}

/**
 * The result of a look at a router: its report, or the trouble (`locked` = our key is not let in).
 */
export type RouterLook =
  { readonly report: RouterReport } | { readonly trouble: string; readonly isLocked: boolean }

/**
 * `GET /api/router`, or nothing where the application was started for a certain gateway: the router that is
 * driven (`null` = none), and the commands that let us in.
 */
export interface RouterAnswer {
  readonly pairing: RouterPairing | null
  /** To be run on the router: for whatever is sent there, or bound to what Kairostat sends. */
  readonly letIn: { readonly whole: string; readonly bound: string }
}
