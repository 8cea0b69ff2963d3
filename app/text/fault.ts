import { capital } from '../../core/words/rule.ts'

/** The parts of a policy and of what is sent, as the screens name them. */
const NAMES: Readonly<Record<string, string>> = {
  devices: 'device',
  networks: 'network',
  groups: 'group',
  schedules: 'schedule',
  siteLists: 'site list',
  apps: 'app',
  categories: 'category',
  rules: 'rule',
  overrides: 'override',
  adapters: 'network adapter',
  mac: 'MAC address',
  macs: 'MAC address',
  medium: 'kind of adapter',
  members: 'member',
  person: 'person',
  entries: 'site',
  sites: 'site',
  keywords: 'names that contain',
  services: 'service',
  week: 'week',
  exceptions: 'exception',
  hours: 'times',
  from: 'begin',
  until: 'end',
  name: 'name',
  kind: 'kind',
  note: 'note',
  category: 'category',
  shielded: 'never blocked',
  who: 'applies to',
  except: 'except',
  what: 'covers',
  when: 'when',
  after: 'allowance',
  more: 'more',
  per: 'period',
  minutes: 'minutes',
  megabytes: 'MB',
  shared: 'whose',
  effect: 'effect',
  enabled: 'status',
  logOnly: 'status',
  outside: 'outside',
  everyone: 'everyone',
  newcomers: 'unknown devices',
  internet: 'the internet',
  place: 'settings',
  timeZone: 'time zone',
  code: 'set-up code',
  password: 'password',
  current: 'current password',
  next: 'new password',
  interfaces: 'interfaces of the gateway',
  subnets: 'addresses',
  page: 'page',
  words: 'message',
  lookups: 'DNS look-ups',
  days: 'days',
  exempt: 'except',
  localNames: 'names of this network',
  reason: 'reason',
  edits: 'entry',
  rule: '',
  device: '',
  form: '',
}

/**
 * A fault in what was sent or imported, in the screens' words.
 *
 * @example faultWords({ path: 'rules[2].who.devices[0]', message: 'names no device of this policy' }) // "Rule 3, applies to, device 1 names no device of this policy."
 */
export function faultWords({ path, message }: { readonly path: string; readonly message: string }): string {
  const parts = [...path.matchAll(/([^.[\]]+)(?:\[(\d+)\])?/g)].map(([, name, index]) => {
    const word = NAMES[name!] ?? `“${name}”`
    return index === undefined ? word : `${word} ${Number(index) + 1}`.trim()
  })
  return `${capital([parts.filter((part) => part !== '').join(', '), message].filter((part) => part !== '').join(' '))}.`
}
