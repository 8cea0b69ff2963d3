import { HOUR } from '../../core/time/duration.ts'
import type { GatewayAnswer } from '../../protocol/answers.ts'
import type { Alarm } from '../../protocol/alarm.ts'
import type { Count } from '../../protocol/evidence.ts'
import { lengthWords } from './time.ts'
import { countWords } from './count.ts'

/** How far the gateway's clock may be from ours before it is said, in seconds. */
const SKEW = 30

/**
 * Why hours would be kept wrongly by the gateway's clock, worst first; empty where clock and zone are right
 * or not known.
 */
export function clockTroubles({ state, status, ahead, zoneData }: GatewayAnswer, zone: string): string[] {
  if (!status || state === 'away') return []
  return [
    status.timeZone === zone ? '' : `the gateway runs on ${status.timeZone} time`,
    Math.abs(ahead) > SKEW
      ? `the gateway’s clock is ${lengthWords(Math.abs(ahead))} ${ahead > 0 ? 'ahead' : 'behind'}`
      : '',
    zoneData
      ? `the gateway’s time-zone data differ from ours (${changeWords(zoneData.theirs)} there, ${changeWords(zoneData.ours)} here): bring the older of the two up to date`
      : '',
  ].filter(Boolean)
}

// "2026-10-25T01:00:00Z 0" is a change of the clock; a bare number the offset at the start.
function changeWords(text: string): string {
  const [, date, offset = text] = /^(\d{4}-\d{2}-\d{2})\S* (.*)$/.exec(text) ?? []
  if (text === 'none') return 'no further change'
  return `${date ? `from ${date} ` : ''}UTC${Number(offset) < 0 ? '−' : '+'}${Math.abs(Number(offset)) / HOUR}`
}

/** What was counted, as in "1,204 packets (96 kB)". */
export function trafficWords({ packets, bytes }: Count): string {
  return packets === 0 ? 'nothing' : `${countWords(packets, 'packet')} (${bytesWords(bytes)})`
}

/** Bytes in decimal units, as in "96 kB". */
export function bytesWords(bytes: number): string {
  const [unit, step] = (
    [
      ['GB', 1e9],
      ['MB', 1e6],
      ['kB', 1e3],
    ] as const
  ).find(([, step]) => bytes >= step) ?? ['B', 1]
  const number = bytes / step
  return `${number < 10 && step > 1 ? number.toFixed(1) : Math.round(number)} ${unit}`
}

/**
 * An alarm in words: what is not as it should be, and what to do. `device` and `rule` are the names of those
 * that it covers.
 */
export function alarmWords(
  { kind, about }: Alarm,
  device: string,
  rule: string,
): { what: string; remedy: string } {
  switch (kind) {
    case 'passes':
      return {
        what: `${device} should be blocked by ${rule}, but ${Number(about).toLocaleString('en')} packets got through.`,
        remedy:
          'Check whether somebody changed the packet filter of the gateway, then apply the policy again.',
      }
    case 'never-dropped':
      return {
        what: `${rule} blocks everything, but none of ${about} packets was dropped.`,
        remedy:
          'Check whether the devices reach the internet another way: a second router, or a cable past the gateway.',
      }
    case 'unasked':
      return {
        what: `${device} uses the internet without DNS look-ups here, so ${rule} cannot cover it.`,
        remedy: 'It probably uses encrypted DNS. Block that with a rule, or turn it off on the device.',
      }
    case 'clock-set':
      return {
        what: `The gateway’s clock was set ${Number(about) < 0 ? 'back' : 'forward'} by ${lengthWords(Math.abs(Number(about)))}.`,
        remedy: 'Schedules follow the new time. Check that it is right, and what changed it.',
      }
    case 'put-back':
      return {
        what: `Somebody changed the gateway’s rules (${about}). They have been restored.`,
        remedy:
          'Another program on the gateway manages the packet filter: configure it to leave this table alone.',
      }
    case 'passed-by':
      return {
        what: `The gateway forwards packets past its rules (flow table ${about}).`,
        remedy:
          'Turn off flow offloading for the local network, or let Kairostat keep restricted devices out of it: connect the router again and tick that, or start the gateway with --offload unrestricted.',
      }
    case 'unreachable':
      return {
        what: `The gateway cannot reach the router ${about}. Schedules go on there for up to two weeks.`,
        remedy: 'Check that the router is on and that its SSH server runs.',
      }
    case 'state':
      return {
        what: `The gateway could not read a file of its state: ${about}.`,
        remedy: 'Check the gateway’s disk, then apply the policy again.',
      }
    case 'disk':
      return {
        what: `The gateway cannot write ${about}.`,
        remedy: 'Free some space on its disk, or replace the disk. The current rules stay active.',
      }
    case 'page':
      return {
        what: `The gateway cannot show the page that explains a block: ${about}.`,
        remedy:
          'Stop the program that uses its port, or choose another with --page-port. Sites are blocked all the same.',
      }
    case 'upstream':
      return {
        what: `The resolver ${about} does not answer the gateway’s look-ups.`,
        remedy: 'Check that it can be reached, or configure another.',
      }
  }
}
