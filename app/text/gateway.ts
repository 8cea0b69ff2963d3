import { isAnswering } from '../../protocol/gateway/gateway.ts'
import { HOUR } from '../../core/time/duration.ts'
import type { GatewayAnswer } from '../../protocol/answers.ts'
import type { Count } from '../../protocol/gateway/evidence.ts'
import { lengthWords } from '../../core/words/length.ts'
import { countWords } from '../../core/words/count.ts'

/** The seconds by which the gateway's clock may differ from ours before that is shown. */
const SKEW = 30

/**
 * Why hours would be kept wrongly by the gateway's clock, worst first; empty where clock and zone are right
 * or not known.
 */
export function clockTroubles({ state, status, ahead, zoneData }: GatewayAnswer, zone: string): string[] {
  if (!status || !isAnswering(state)) return []
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

/** Returns a count in words, as in "1,204 packets (96 kB)". */
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
