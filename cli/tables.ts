import { isBlocked, type Because } from '../core/decision/standing.ts'
import type { Policy } from '../core/policy/types.ts'
import { localText, readInstant } from '../core/time/instant.ts'
import type { CheckAnswer, CheckRow, TimelineAnswer } from './answers.ts'

/** The answer of `check` as tables to read: one a moment, a line a device, in local time. */
export function checkText(answer: CheckAnswer, policy: Policy): string {
  return answer.moments
    .map(({ local, devices }) => {
      const time = (instant: string | null) =>
        instant === null
          ? ''
          : localText(readInstant(instant)!, answer.timeZone).slice(0, 16).replace('T', ' ')
      const asked = devices.some((row) => row.verdict)
      const rationed = devices.some((row) => row.allowances)
      const blocked = devices.filter(({ state }) => isBlocked(state)).length
      const rows = devices.map((row) => [
        nameOf(row, policy),
        row.state,
        time(row.since),
        time(row.until),
        reason(row.because, policy),
        ...(rationed ? [left(row), time(row.mayBeBlockedFrom ?? null)] : []),
        ...(asked ? [verdict(row, policy)] : []),
      ])
      return [
        `${local.replace('T', ' ')} ${answer.timeZone}: ${blocked} of ${devices.length} blocked`,
        ...table(
          [
            ...['device', 'state', 'since', 'until', 'by'],
            ...(rationed ? ['allowance', 'may be blocked from'] : []),
            ...(asked ? ['destination'] : []),
          ],
          rows,
        ),
      ].join('\n')
    })
    .join('\n\n')
}

/** The answer of `timeline` as tables to read: one a device, a line a segment, in local time. */
export function timelineText(answer: TimelineAnswer, policy: Policy): string {
  const time = (instant: string) => localText(readInstant(instant)!, answer.timeZone).replace('T', ' ')
  return answer.devices
    .map((device) =>
      [
        nameOf(device, policy),
        ...table(
          ['from', 'until', 'state', 'by'],
          device.segments.map((segment) => [
            time(segment.from),
            time(segment.until),
            segment.state,
            reason(segment.because, policy),
          ]),
        ),
      ].join('\n'),
    )
    .join('\n\n')
}

/** Returns the rest of the allowances of a device. */
function left({ allowances }: CheckRow): string {
  return (allowances ?? [])
    .map(({ measure, left, limit }) => `${left === null ? '' : `${left} of `}${limit} ${measure}`)
    .join(', ')
}

/** Lines with every column as wide as its longest text, under a line of headings. */
function table(headings: readonly string[], rows: readonly (readonly string[])[]): string[] {
  const widths = headings.map((heading, index) =>
    Math.max(heading.length, ...rows.map((row) => row[index]!.length)),
  )
  const line = (cells: readonly string[]) =>
    `  ${cells.map((cell, index) => cell.padEnd(widths[index]!)).join('  ')}`.trimEnd()
  return [line(headings), line(widths.map((width) => '-'.repeat(width))), ...rows.map(line)]
}

function nameOf({ device, mac }: { device: string | null; mac: string | null }, policy: Policy): string {
  return policy.devices.find(({ id }) => id === device)?.name ?? `unknown device ${mac}`
}

function reason(because: Because | null, policy: Policy): string {
  if (!because) return ''
  if (because.kind === 'shielded') return 'shielded'
  return because.kind === 'override'
    ? `override ${because.id}`
    : policy.rules.find(({ id }) => id === because.id)!.name
}

function verdict({ verdict }: CheckRow, policy: Policy): string {
  return verdict
    ? `${verdict.effect === 'allow' ? 'allowed' : 'blocked'}${verdict.because ? ` by ${reason(verdict.because, policy)}` : ''}`
    : ''
}
