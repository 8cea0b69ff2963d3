import { hostname } from 'node:os'
import type { LogKind } from '../../protocol/syslog.ts'

/** What a log server is told. */
export interface LogMessage {
  readonly kind: LogKind | 'lost' | 'test'
  /** An instant (ISO 8601, UTC). */
  readonly at: string
  readonly severity: 'warning' | 'notice' | 'info'
  readonly words: string
  /** What the words say, for programs; empty values are left out. */
  readonly facts: Readonly<Record<string, string | number | null>>
}

/** Facility "local use 0", and severities (RFC 5424, 6.2.1). */
const FACILITY = 16
const SEVERITIES = { warning: 4, notice: 5, info: 6 } as const
/** The most bytes of a message: what every receiver of UDP should take (RFC 5426, 3.2), and what those of streams do. */
const LONGEST = { datagram: 2048, stream: 8192 } as const

/**
 * A message of syslog (RFC 5424) in UTF-8: its words, then its facts as `name="value"`, with `"` and `\` after a
 * `\`. The facts are no structured data of our own, since that needs a number of the IANA. Control characters
 * become spaces, and what is too long is cut.
 */
export function syslogMessage(message: LogMessage, carried: keyof typeof LONGEST): Buffer {
  const { kind, at, severity, words, facts } = message
  const priority = FACILITY * 8 + SEVERITIES[severity]
  const host =
    hostname()
      .replaceAll(/[^!-~]/g, '')
      .slice(0, 255) || '-'
  const told = Object.entries(facts)
    .filter(([, value]) => value !== null && value !== '')
    .map(([name, value]) => `${name}="${String(value).replaceAll(/["\\]/g, '\\$&')}"`)
  const text = [words.replaceAll('\n', '; '), ...told].join(' ').replaceAll(/\p{Cc}/gu, ' ')
  const head = `<${priority}>1 ${at} ${host} kairostat ${process.pid} ${kind} - `
  // The mark says that what follows is UTF-8.
  const bytes = Buffer.from(`${head}\u{feff}${text}`)
  if (bytes.length <= LONGEST[carried]) return bytes
  let end: number = LONGEST[carried]
  // A byte 10xxxxxx goes on with a character.
  while ((bytes[end]! & 0xc0) === 0x80) end--
  return bytes.subarray(0, end)
}
