import type { Policy } from '../../core/policy/types.ts'
import { alarmWords } from '../../protocol/gateway/alarm-words.ts'
import type { Alarm } from '../../protocol/gateway/alarm.ts'
import { deviceWith } from '../../core/policy/device-with.ts'

/** An alarm in words, with the names that the live policy has for its device and rule; '' = it has none. */
export function alarmFacts(
  policy: Policy,
  alarm: Alarm,
): { what: string; remedy: string; device: string; rule: string } {
  const device = deviceWith(policy, alarm.mac)?.name ?? ''
  const rule = policy.rules.find(({ id }) => id === alarm.because)?.name ?? ''
  return { ...alarmWords(alarm, device || (alarm.mac ?? ''), rule || 'an override'), device, rule }
}
