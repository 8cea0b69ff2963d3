import type { App, Device, Group, Network, Rule, Schedule, SiteList } from './types.ts'

/** The type of an entry of each kind. */
export interface EntryOf {
  device: Device
  network: Network
  group: Group
  schedule: Schedule
  siteList: SiteList
  app: App
  rule: Rule
}
export type EntryKind = keyof EntryOf

/** The names of each kind of entries: the policy's key, the path of the API, the word. */
interface KindNames {
  readonly key: 'devices' | 'networks' | 'groups' | 'schedules' | 'siteLists' | 'apps' | 'rules'
  readonly path: string
  readonly word: string
}

/** Every kind of entries that a policy holds; a kind names only those before it. The one list of them. */
export const ENTRY_KINDS = {
  device: { key: 'devices', path: 'devices', word: 'device' },
  network: { key: 'networks', path: 'networks', word: 'network' },
  group: { key: 'groups', path: 'groups', word: 'group' },
  schedule: { key: 'schedules', path: 'schedules', word: 'schedule' },
  siteList: { key: 'siteLists', path: 'site-lists', word: 'site list' },
  app: { key: 'apps', path: 'apps', word: 'app' },
  rule: { key: 'rules', path: 'rules', word: 'rule' },
} as const satisfies Readonly<Record<EntryKind, KindNames>>

/** The kinds in their order. */
export const KINDS = Object.keys(ENTRY_KINDS) as EntryKind[]
/** The keys of a policy under which its entries stand. */
export type EntryKey = (typeof ENTRY_KINDS)[EntryKind]['key']
/** The kinds that a rule can name. */
export type NamedKind = Exclude<EntryKind, 'rule'>
