/** The intervals at which a list may be refreshed, in hours. */
export const LIST_HOURS = [1, 6, 24, 168] as const

/** The source of a site list, and the share of changes from which a refresh waits for review. */
export interface ListSource {
  /**
   * An address that answers with the list (http or https), or of a zone that is transferred
   * (`dns://server/zone`).
   */
  readonly url: string
  /** The interval at which it is asked, in hours. */
  readonly hours: number
  /** A change of more than this share of the list waits for review, in percent. */
  readonly share: number
  /** Whether it may lead to another address within the local network. */
  readonly inside: boolean
}

/**
 * A source as it is given; a key (TSIG) is `algorithm:name:secret`, '' = none, `null` = the one that is
 * stored.
 */
export type GivenSource = ListSource & { readonly key: string | null }

/** A change of a list: how many sites came and went. */
export interface ListChange {
  readonly added: number
  readonly removed: number
}

/** `GET /api/site-lists/sources`: a source and what became of it; instants in UTC. */
export interface ListSourceAnswer extends ListSource {
  /** The id of the site list. */
  readonly list: string
  /** The name of the key by which transfers are signed; '' = none. */
  readonly keyName: string
  /** The times of the last question and of the last change; `null` = not yet. */
  readonly checkedAt: string | null
  readonly changedAt: string | null
  /** The last change in words; `null` = none yet. */
  readonly change: ListChange | null
  /** Why it could not be refreshed; '' = it could. */
  readonly trouble: string
  /** The refresh that waits for review, and the reason; `null` = nothing. */
  readonly waiting: (ListChange & { readonly why: string; readonly sample: readonly string[] }) | null
}

/**
 * `GET /api/transfer-keys`: by which keys live lists are fetched as zones, and on which port (`null` =
 * none).
 */
export interface TransferKeysAnswer {
  readonly port: number | null
  readonly keys: readonly { readonly name: string; readonly author: string; readonly madeAt: string }[]
}

/** Under which names live lists are zones: `LIST.lists.home.arpa` (RFC 8375). */
export const ZONES = 'lists.home.arpa'
