import { HOUR } from '../../core/time/duration.ts'
import { ENTRY_KINDS } from '../../core/policy/kinds.ts'
import type { PolicyFinding } from '../../core/findings/rules.ts'
import type { Policy } from '../../core/policy/types.ts'
import { capital } from '../../core/words/rule.ts'
import { listWords, plural } from '../../core/words/count.ts'
import { whenWords } from './time.ts'

const PART = { siteList: 'list', app: 'app', schedule: 'schedule', group: 'group' } as const

/**
 * A finding in words: what, where, why it is likely not meant, and when it is felt first; `now` in seconds.
 */
export function policyFindingWords(finding: PolicyFinding, policy: Policy, now: number): string {
  const rule = (id: string) => ruleName(id, policy)
  const when = 'first' in finding ? firstWords(finding.first, policy, now) : ''
  switch (finding.kind) {
    case 'never-decides':
      return `${capital(rule(finding.rule))} never decides: ${listWords(finding.by.map(rule))} above it always ${plural(finding.by.length, 'decides', 'decide')} first. ${when}`
    case 'never-in-force':
      return `${capital(rule(finding.rule))} is not active within 400 days: its schedule is empty, or its time is past.`
    case 'meets-nobody':
      return `${capital(rule(finding.rule))} applies to no device.`
    case 'says-nothing':
      return `${capital(rule(finding.rule))} covers nothing: its lists are empty.`
    case 'opens-nothing':
      if (finding.above !== null)
        return `${capital(rule(finding.rule))} has no effect where it is: ${rule(finding.above)} above it blocks first. Exceptions go above the rules they override. ${when}`
      return `${capital(rule(finding.rule))} has no effect: no rule below it blocks any of that at those times. ${when}`
    case 'contradiction':
      return `${capital(rule(finding.rule))} and ${rule(finding.other)} contradict each other for the same devices; where their times overlap, the first decides. ${when}`
    case 'slips-by-address':
      return `${deviceNames(finding.devices, policy)} ${plural(finding.devices.length, 'uses a private MAC address: when it changes, this device counts as unknown, and unknown devices are', 'use private MAC addresses: when one changes, that device counts as unknown, and unknown devices are')} not blocked at the same times. ${when}`
    case 'slips-by-service':
      return `${capital(listWords(finding.rules.map(rule)))} ${plural(finding.rules.length, 'goes', 'go')} by the names of sites, but encrypted DNS and VPNs (${finding.services.join(', ')}) can bypass that. ${when}`
    case 'slips-from-network':
      return `${capital(listWords(finding.rules.map(rule)))} ${plural(finding.rules.length, 'blocks', 'block')} the network ${policy.networks.find(({ id }) => id === finding.network)?.name ?? finding.network}, which is told by IP addresses alone: a device there that uses ${finding.isIPv4 ? 'IPv6 or ' : ''}another address counts as in no network.`
    case 'own-machine':
      return `You are using ${deviceNames([finding.device], policy)} right now, and it is blocked at times. ${when}`
    case 'unused':
      return `The ${PART[finding.part]} ${policy[ENTRY_KINDS[finding.part].key].find(({ id }) => id === finding.id)?.name ?? finding.id} is used by no rule${finding.part === 'siteList' || finding.part === 'app' ? ', so it blocks nothing' : ''}.`
    case 'covered-exceptions':
      return `The schedule ${policy.schedules.find(({ id }) => id === finding.schedule)?.name ?? finding.schedule} has exceptions without effect (${finding.dates.join(', ')}): earlier exceptions cover the same dates.`
    case 'no-rule':
      return `No rule applies to ${deviceNames(finding.devices, policy)}.`
  }
}

/** A finding in a few words, for the line of the rule or device that it is about. */
export function policyFindingBrief(finding: PolicyFinding, policy: Policy): string {
  switch (finding.kind) {
    case 'never-decides':
      return `never decides: ${listWords(finding.by.map((id) => ruleName(id, policy)))} ${plural(finding.by.length, 'comes', 'come')} first`
    case 'never-in-force':
      return 'not active within 400 days'
    case 'meets-nobody':
      return 'applies to no device'
    case 'says-nothing':
      return 'covers nothing'
    case 'opens-nothing':
      return 'has no effect'
    case 'contradiction':
      return `${ruleName(finding.rule, policy)} and ${ruleName(finding.other, policy)} contradict each other`
    case 'slips-by-address':
      return 'private MAC address: when it changes, it counts as unknown'
    case 'slips-by-service':
      return 'encrypted DNS and VPNs can bypass it'
    case 'slips-from-network':
      return 'a device with another IP address leaves the network'
    case 'own-machine':
      return 'you are using it, and it is blocked at times'
    case 'covered-exceptions':
      return 'has exceptions without effect'
    case 'unused':
    case 'no-rule':
      return 'not used by any rule'
  }
}

function ruleName(id: string, policy: Policy): string {
  const index = policy.rules.findIndex((one) => one.id === id)
  return `rule ${index + 1} (${policy.rules[index]?.name ?? id})`
}

function deviceNames(ids: readonly string[], policy: Policy): string {
  const names = ids.map((id) => policy.devices.find((device) => device.id === id)?.name ?? id)
  return names.length <= 6
    ? listWords(names)
    : `${names.slice(0, 5).join(', ')} and ${names.length - 5} more devices`
}

// A time within the hour counts as now.
function firstWords(first: number, policy: Policy, now: number): string {
  const time = whenWords(first, now, policy.place.timeZone)
  return first <= now + HOUR ? 'This is so now.' : `First ${/^\d/.test(time) ? 'at' : 'on'} ${time}.`
}
