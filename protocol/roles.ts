/** What people may be, from the least to the most. */
export const ROLES = ['viewer', 'helper', 'editor', 'administrator'] as const
export type Role = (typeof ROLES)[number]

/** What a helper may do: allow and block the devices of some groups (their ids), for so long at a time. */
export interface HelperLimit {
  readonly minutes: number
  readonly groups: readonly string[]
}

/** What somebody may do; only a helper has a limit. */
export interface Rights {
  readonly role: Role
  readonly limit: HelperLimit | null
}

/**
 * What a route does: shows, changes who may use the internet for a time, changes the rules, or concerns
 * Kairostat itself.
 */
export const NEEDS = ['see', 'help', 'edit', 'administer'] as const
export type Need = (typeof NEEDS)[number]

/** The least role that may do what needs so much. */
export const roleFor = (need: Need): Role => ROLES[NEEDS.indexOf(need)]!

/** Whether somebody with a role may do what needs so much: each role may do what those before it may. */
export function may(role: Role, need: Need): boolean {
  return ROLES.indexOf(role) >= NEEDS.indexOf(need)
}

/** What a token may be used for: to read what is live and what was counted, or for all that a role may. */
export const TOKEN_ROLES = ['live', 'viewer', 'editor', 'administrator'] as const
export type TokenRole = (typeof TOKEN_ROLES)[number]

/** The lesser of two roles. */
export function lesserRole(one: Role, other: Role): Role {
  return ROLES[Math.min(ROLES.indexOf(one), ROLES.indexOf(other))]!
}
