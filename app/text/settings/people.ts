import type { Role } from '../../../protocol/roles.ts'

/** Returns the word for a role. */
export const ROLE_WORDS: Readonly<Record<Role, string>> = {
  viewer: 'Viewer',
  helper: 'Helper',
  editor: 'Editor',
  administrator: 'Administrator',
}

/** The texts about who may use Kairostat. */
export const peopleText = {
  title: 'People',
  what: 'A viewer sees the board. A helper can also allow and block the devices of some groups for a limited time. An editor changes devices, schedules and rules, and applies them. An administrator also manages people, the gateway, backups and tokens.',
  role: 'Role',
  roleOf: (name: string) => `Role of ${name}`,
  rights: (role: Role, longest: string | null, groups: readonly string[]) => {
    if (longest === null) return ROLE_WORDS[role]
    const whom = groups.length === 0 ? 'no group' : groups.join(', ')
    return `${ROLE_WORDS[role]}, ${longest} at most for ${whom}`
  },
  changeRole: 'Change role',
  longest: 'Longest time',
  atMost: (length: string) => `${length} at most`,
  groups: 'Groups',
  chooseGroups: 'Choose groups',
  save: 'Save',
  you: 'you',
  never: 'not signed in',
  lastSeen: (when: string) => `last used ${when}`,
  disabled: 'disabled',
  disable: 'Disable',
  enable: 'Enable',
  disableOne: (name: string) => `Disable ${name}`,
  enableOne: (name: string) => `Enable ${name}`,
  delete: 'Delete',
  deleteOne: (name: string) => `Delete ${name}`,
  endSecondFactor: 'Turn off second factor',
  endSecondFactorOf: (name: string) => `Turn off the second factor of ${name}`,
  endSecondFactorEffect: (name: string) => `${name} then signs in with the password alone.`,
  turnOff: 'Turn off',
  deleteEffect: (name: string) => `${name} is signed out everywhere, and tokens of ${name} end.`,
  cancel: 'Cancel',
  invite: 'Invite somebody',
  makeLink: 'Create a link',
  link: 'Link of the invitation',
  linkHow: 'Send this link to the person. It works once, within seven days, and is not shown again.',
  waiting: 'Invitations not used yet',
  invited: (rights: string, author: string, until: string) => `${rights}, by ${author}, until ${until}`,
  withdraw: 'Withdraw',
  forAdministrators: 'The gateway, people, backups and tokens are managed by an administrator.',
  sessions: 'Where you are signed in',
  thisOne: 'this one',
  sessionFacts: (begun: string, seen: string) => `since ${begun}, last used ${seen}`,
  end: 'End',
  endOne: (what: string) => `End the session of ${what}`,
  joinPage: 'Join · Kairostat',
  join: 'Join',
  joinTitle: (place: string) => `Join ${place}`,
  joinAs: (role: Role) =>
    `You were invited as ${ROLE_WORDS[role].toLowerCase()}. Choose your name and a password.`,
  noCode: 'The link is incomplete. Open it as it was sent to you.',
}

/** A browser and its system, in a few words, by what it says of itself (RFC 9110, section 10.1.5). */
export function browserWords(said: string): string {
  const system = [
    ['Android', /Android/],
    ['a phone or tablet', /iPhone|iPad|Mobile/],
    ['Windows', /Windows/],
    ['macOS', /Macintosh/],
    ['Linux', /Linux|X11/],
  ] as const
  return system.find(([, pattern]) => pattern.test(said))?.[0] ?? 'an unknown device'
}
