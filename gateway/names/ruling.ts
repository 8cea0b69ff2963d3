/**
 * What is said of a name: `null` = it is forwarded, else why it is blocked, and the IPv4 address where that
 * is told (`null` = nowhere).
 */
export type Ruling = { readonly closed: string; readonly to: string | null } | null
