import type { Need } from '../../../protocol/roles.ts'
import { noticesText } from './notices.ts'
import { peopleText } from './people.ts'
import { settingsText } from './settings.ts'
import { transferText } from './transfer-keys.ts'

/** A page of the settings: what one must be allowed to do to open it, and what a search finds there. */
export interface SettingsPage {
  readonly id: string
  readonly name: string
  readonly need: Need
  readonly holds: readonly string[]
}

/** The pages of the settings, in order. */
export const SETTINGS_PAGES: readonly SettingsPage[] = [
  {
    id: 'place',
    name: settingsText.place,
    need: 'edit',
    holds: ['Name of the place', settingsText.timeZone, 'Further places'],
  },
  {
    id: 'gateway',
    name: settingsText.gateway,
    need: 'administer',
    holds: [
      settingsText.connectAGateway,
      'Router with SSH',
      'Pair a gateway by a code',
      'Clock of the gateway',
    ],
  },
  {
    id: 'blocked-sites',
    name: settingsText.blockedSites,
    need: 'administer',
    holds: [
      settingsText.showPage,
      settingsText.yourMessage,
      settingsText.blockAddresses,
      settingsText.ownPageCode,
    ],
  },
  {
    id: 'usage',
    name: settingsText.lookupsAndUsage,
    need: 'administer',
    holds: [
      settingsText.storeLookups,
      settingsText.countUsage,
      'Privacy: devices that are left out',
      settingsText.outsideNames,
    ],
  },
  {
    id: 'people',
    name: peopleText.title,
    need: 'administer',
    holds: ['Invite somebody', 'Roles and limits of helpers'],
  },
  {
    id: 'notices',
    name: noticesText.title,
    need: 'see',
    holds: ['Your mail address', 'Mail server (SMTP)', 'Webhooks', 'Log servers (syslog)'],
  },
  {
    id: 'account',
    name: settingsText.account,
    need: 'see',
    holds: [settingsText.yourPassword, settingsText.secondFactor, 'Sessions', settingsText.backup],
  },
  {
    id: 'programs',
    name: settingsText.programs,
    need: 'administer',
    holds: [settingsText.accessForPrograms, 'Tokens for the API', transferText.title],
  },
]

/** Addresses within the one long page that the settings were once, and the pages that have that now. */
export const MOVED_SETTINGS: Readonly<Record<string, string>> = {
  '#network': 'place',
  '#gateway': 'gateway',
  '#connect': 'gateway',
  '#people': 'people',
  '#notices': 'notices',
  '#account': 'account',
  '#tokens': 'programs',
  '#zones': 'programs',
}
