import { hostname } from 'node:os'
import type { LogKind } from '../../protocol/syslog.ts'

/** A message to a log server. */
export interface LogMessage {
  readonly kind: LogKind | 'lost' | 'test'
  /** An instant (ISO 8601, UTC). */
  readonly at: string
  readonly severity: 'warning' | 'notice' | 'info'
  readonly words: string
  /** The facts of the message, for programs; empty values are left out. */
  readonly facts: Readonly<Record<string, string | number | null>>
}

/** Facility "local use 0", and severities (RFC 5424, 6.2.1). */
const FACILITY = 16
const SEVERITIES = { warning: 4, notice: 5, info: 6 } as const
/**
 * The most bytes of a message: what every receiver of UDP should take (RFC 5426, 3.2), and what those of
 * streams do.
 */
const MAX_BYTES = { datagram: 2048, stream: 8192 } as const

/**
 * The name of our structured data: with the number that is reserved for examples (RFC 5612), for want of one
 * of our own (RFC 5424, 7.2.2).
 */
const DATA = 'kairostat@32473'
/** The most characters of a value. */
const LONGEST_VALUE = 300

/**
 * A message of syslog (RFC 5424) in UTF-8: its facts as structured data, in which no value can look like
 * another (6.3.3), then its words. Control characters become spaces; of what is too long the words are cut,
 * and facts from the last on left out.
 */
export function syslogMessage(message: LogMessage, carried: keyof typeof MAX_BYTES): Buffer {
  const { kind, at, severity, words, facts } = message
  const priority = FACILITY * 8 + SEVERITIES[severity]
  const host =
    hostname()
      .replaceAll(/[^!-~]/g, '')
      .slice(0, 255) || '-'
  const head = Buffer.from(`<${priority}>1 ${at} ${host} kairostat ${process.pid} ${kind} `)
  const values = Object.entries(facts)
    .filter(([, value]) => value !== null && value !== '')
    .map(([name, value]) => ` ${name}="${escaped(String(value))}"`)
  const most = MAX_BYTES[carried]
  while (head.length + Buffer.byteLength(values.join('')) + DATA.length + 2 > most) values.pop()
  const data = values.length === 0 ? '-' : `[${DATA}${values.join('')}]`
  // The mark says that what follows is UTF-8.
  const text = plain(words.replaceAll('\n', '; '))
  const bytes = Buffer.concat([head, Buffer.from(`${data} \u{feff}${text}`)])
  if (bytes.length <= most) return bytes
  let end: number = most
  // A byte 10xxxxxx goes on with a character.
  while ((bytes[end]! & 0xc0) === 0x80) end--
  return bytes.subarray(0, end)
}

const plain = (text: string) => text.replaceAll(/\p{Cc}/gu, ' ')
const escaped = (value: string) =>
  plain([...value].slice(0, LONGEST_VALUE).join('')).replaceAll(/["\\\]]/g, '\\$&')
