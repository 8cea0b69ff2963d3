/** What people may be, from the least to the most. */
export const ROLES = ['viewer', 'editor', 'administrator'] as const
export type Role = (typeof ROLES)[number]

/** What a route does: shows, changes the rules or who may use the internet for a time, or concerns Kairostat itself. */
export const NEEDS = ['see', 'edit', 'administer'] as const
export type Need = (typeof NEEDS)[number]

/** The least role that may do what needs so much. */
export const roleFor = (need: Need): Role => ROLES[NEEDS.indexOf(need)]!

/** Whether somebody with a role may do what needs so much: each role may do what those before it may. */
export function may(role: Role, need: Need): boolean {
  return ROLES.indexOf(role) >= NEEDS.indexOf(need)
}
