import type { Because } from '../core/decision/standing.ts'
import type { Policy } from '../core/policy/types.ts'
import { localText, readInstant } from '../core/time/instant.ts'
import type { CheckAnswer, CheckRow, TimelineAnswer } from './answers.ts'

/** The answer of `check` as lines to read: a heading a moment, a line a device, in local time. */
export function checkText(answer: CheckAnswer, policy: Policy): string {
  return answer.moments.map(({ local, devices }) => {
    const width = Math.max(0, ...devices.map(row => nameOf(row, policy).length))
    const lines = devices.map(row => `  ${nameOf(row, policy).padEnd(width)}  ${row.state.padEnd(11)}${reason(row.because, policy)}${bounds(row, answer.timeZone)}${verdict(row, policy)}`)
    return [`${local.replace('T', ' ')} ${answer.timeZone}`, ...lines].join('\n')
  }).join('\n\n')
}

/** The answer of `timeline` as lines to read, in local time. */
export function timelineText(answer: TimelineAnswer, policy: Policy): string {
  const time = (instant: string) => localText(readInstant(instant)!, answer.timeZone).replace('T', ' ')
  return answer.devices.map(device => [
    nameOf(device, policy),
    ...device.segments.map(segment => `  ${time(segment.from)}  until  ${time(segment.until)}  ${segment.state.padEnd(11)}${reason(segment.because, policy)}`.trimEnd()),
  ].join('\n')).join('\n\n')
}

function nameOf({ device, mac }: { device: string | null, mac: string | null }, policy: Policy): string {
  return policy.devices.find(({ id }) => id === device)?.name ?? `newcomer ${mac}`
}

function reason(because: Because | null, policy: Policy): string {
  if (!because) return ''
  if (because.kind === 'shielded') return '  shielded'
  return because.kind === 'override' ? `  by override ${because.id}` : `  by “${policy.rules.find(({ id }) => id === because.id)!.name}”`
}

function bounds({ since, until }: CheckRow, zone: string): string {
  const time = (instant: string) => localText(readInstant(instant)!, zone).slice(0, 16).replace('T', ' ')
  return `${since ? `  since ${time(since)}` : ''}${until ? `  until ${time(until)}` : ''}`
}

function verdict({ verdict }: CheckRow, policy: Policy): string {
  return verdict ? `  → ${verdict.effect === 'allow' ? 'allowed' : 'blocked'}${reason(verdict.because, policy)}` : ''
}
