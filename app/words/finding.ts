import type { PolicyFinding } from '../../core/findings/rules.ts'
import type { Policy } from '../../core/policy/types.ts'
import { capital, listWords } from './rule.ts'
import { whenWords } from './time.ts'

const PART = { siteList: 'list', app: 'app', schedule: 'schedule', group: 'group' } as const
const PLURAL = { siteList: 'siteLists', app: 'apps', schedule: 'schedules', group: 'groups' } as const

/** A finding in words: what, where, why it is likely not meant, and when it is felt first; `now` in seconds. */
export function policyFindingWords(finding: PolicyFinding, policy: Policy, now: number): string {
  const rule = (id: string) => ruleName(id, policy)
  const when = 'first' in finding ? firstWords(finding.first, policy, now) : ''
  switch (finding.kind) {
    case 'never-decides': return `${capital(rule(finding.rule))} never decides anything: ${listWords(finding.by.map(rule))} ${finding.by.length === 1 ? 'stands' : 'stand'} before it and always decide${finding.by.length === 1 ? 's' : ''} first. ${when}`
    case 'never-in-force': return `${capital(rule(finding.rule))} does not come into force within 400 days: its hours are empty, or its time is past.`
    case 'meets-nobody': return `${capital(rule(finding.rule))} meets nobody.`
    case 'says-nothing': return `${capital(rule(finding.rule))} speaks of nothing: its lists are empty.`
    case 'opens-nothing': return `${capital(rule(finding.rule))} opens nothing: no rule after it would block any of it at those times. ${when}`
    case 'contradiction': return `${capital(rule(finding.rule))} and ${rule(finding.other)} say the opposite of the same to the same devices; where their times meet, the first holds. ${when}`
    case 'slips-by-address': return `${deviceNames(finding.devices, policy)} may slip through: ${finding.devices.length === 1 ? 'its address looks' : 'their addresses look'} random and may change, and then ${finding.devices.length === 1 ? 'it is a newcomer' : 'they are newcomers'}, who ${finding.devices.length === 1 ? 'is' : 'are'} not blocked at the same times. ${when}`
    case 'slips-by-service': return `${capital(listWords(finding.rules.map(rule)))} ${finding.rules.length === 1 ? 'closes' : 'close'} names, but services that hide which names are meant stay open: ${finding.services.join(', ')} (encrypted name look-ups and tunnels). ${when}`
    case 'own-machine': return `You are using ${deviceNames([finding.device], policy)} right now, and it is blocked at times. ${when}`
    case 'unused': return `The ${PART[finding.part]} ${policy[PLURAL[finding.part]].find(({ id }) => id === finding.id)?.name ?? finding.id} is used by no rule${finding.part === 'siteList' || finding.part === 'app' ? ', so it closes nothing' : ''}.`
    case 'covered-exceptions': return `The schedule ${policy.schedules.find(({ id }) => id === finding.schedule)?.name ?? finding.schedule} has exceptions without effect (${finding.dates.join(', ')}): earlier ones in its list cover the same dates.`
    case 'no-rule': return `No rule speaks of ${deviceNames(finding.devices, policy)}.`
  }
}

/** A finding in a few words, for the line of the rule or device that it is about. */
export function policyFindingBrief(finding: PolicyFinding, policy: Policy): string {
  switch (finding.kind) {
    case 'never-decides': return `never decides: ${listWords(finding.by.map(id => ruleName(id, policy)))} ${finding.by.length === 1 ? 'comes' : 'come'} first`
    case 'never-in-force': return 'not in force within 400 days'
    case 'meets-nobody': return 'meets nobody'
    case 'says-nothing': return 'speaks of nothing'
    case 'opens-nothing': return 'opens nothing'
    case 'contradiction': return `${ruleName(finding.rule, policy)} and ${ruleName(finding.other, policy)} say the opposite`
    case 'slips-by-address': return 'its address may change, and newcomers are freer'
    case 'slips-by-service': return 'encrypted look-ups and tunnels go around it'
    case 'own-machine': return 'you are using it, and it is blocked at times'
    case 'covered-exceptions': return 'has exceptions without effect'
    case 'unused': case 'no-rule': return 'in no rule'
  }
}

function ruleName(id: string, policy: Policy): string {
  const index = policy.rules.findIndex(one => one.id === id)
  return `rule ${index + 1} (${policy.rules[index]?.name ?? id})`
}

function deviceNames(ids: readonly string[], policy: Policy): string {
  const names = ids.map(id => policy.devices.find(device => device.id === id)?.name ?? id)
  return names.length <= 6 ? listWords(names) : `${names.slice(0, 5).join(', ')} and ${names.length - 5} more devices`
}

// What holds within the hour holds now.
function firstWords(first: number, policy: Policy, now: number): string {
  const time = whenWords(first, now, policy.place.timeZone)
  return first <= now + 3600 ? 'It is so now.' : `First ${/^\d/.test(time) ? 'at' : 'on'} ${time}.`
}
