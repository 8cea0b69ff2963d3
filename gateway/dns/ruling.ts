/**
 * The ruling on a name: `null` = it is forwarded, else why it is blocked, and the IPv4 address where that
 * is told (`null` = nowhere); `closed` is `null` for the gateway's own name.
 */
export type Ruling = { readonly closed: string | null; readonly to: string | null } | null
