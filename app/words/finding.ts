import type { PolicyFinding } from '../../core/findings/rules.ts'
import type { Policy } from '../../core/policy/types.ts'
import { capital, listWords } from './rule.ts'

const PART = { siteList: 'list', app: 'app', schedule: 'schedule', group: 'group' } as const
const PLURAL = { siteList: 'siteLists', app: 'apps', schedule: 'schedules', group: 'groups' } as const

/** A finding in words: what, where, and why it is likely not meant. */
export function policyFindingWords(finding: PolicyFinding, policy: Policy): string {
  const rule = (id: string) => {
    const index = policy.rules.findIndex(one => one.id === id)
    return `rule ${index + 1}, ${policy.rules[index]?.name ?? id}`
  }
  switch (finding.kind) {
    case 'never-decides': return `${capital(rule(finding.rule))}, never decides anything: ${listWords(finding.by.map(rule))}, ${finding.by.length === 1 ? 'stands' : 'stand'} before it and always decide${finding.by.length === 1 ? 's' : ''} first.`
    case 'never-in-force': return `${capital(rule(finding.rule))}, does not come into force within 400 days: its hours are empty, or its time is past.`
    case 'meets-nobody': return `${capital(rule(finding.rule))}, meets nobody.`
    case 'says-nothing': return `${capital(rule(finding.rule))}, speaks of nothing: its lists are empty.`
    case 'opens-nothing': return `${capital(rule(finding.rule))}, opens nothing: no rule after it would block any of it at those times.`
    case 'contradiction': return `${capital(rule(finding.rule))}, and ${rule(finding.other)}, say the opposite of the same to the same devices; where their times meet, the first holds.`
    case 'unused': return `The ${PART[finding.part]} ${policy[PLURAL[finding.part]].find(({ id }) => id === finding.id)?.name ?? finding.id} is used by no rule${finding.part === 'siteList' || finding.part === 'app' ? ', so it closes nothing' : ''}.`
    case 'no-rule': {
      const names = finding.devices.map(id => policy.devices.find(device => device.id === id)?.name ?? id)
      return `No rule speaks of ${names.length <= 6 ? listWords(names) : `${names.slice(0, 5).join(', ')} and ${names.length - 5} more devices`}.`
    }
  }
}
