/** The roles, from the least right to the most. */
export const ROLES = ['viewer', 'helper', 'editor', 'administrator'] as const
export type Role = (typeof ROLES)[number]

/**
 * The limit of a helper: the groups (their ids) whose devices they may allow and block, and for how long at
 * a time.
 */
export interface HelperLimit {
  readonly minutes: number
  readonly groups: readonly string[]
}

/** The rights of an account; only a helper has a limit. */
export interface Rights {
  readonly role: Role
  readonly limit: HelperLimit | null
}

/**
 * The effect of a route: it shows, changes who may use the internet for a time, changes the rules, or concerns
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

/** The use of a token: to read the live policy and the counts, or for everything that a role may do. */
export const TOKEN_ROLES = ['live', 'viewer', 'editor', 'administrator'] as const
export type TokenRole = (typeof TOKEN_ROLES)[number]

/** The lesser of two roles. */
export function lesserRole(one: Role, other: Role): Role {
  return ROLES[Math.min(ROLES.indexOf(one), ROLES.indexOf(other))]!
}
