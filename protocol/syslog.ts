/**
 * The kinds of messages to log servers: alarms, dropped tries, DNS look-ups, and who did what (the audit
 * log).
 */
export const LOG_KINDS = ['alarm', 'audit', 'drop', 'lookup'] as const
export type LogKind = (typeof LOG_KINDS)[number]

/** The transports of messages: UDP (RFC 5426), TCP with octet counting (RFC 6587), or TLS (RFC 5425). */
export const LOG_TRANSPORTS = ['tls', 'tcp', 'udp'] as const
export type LogTransport = (typeof LOG_TRANSPORTS)[number]

/** The ports that servers of each transport mostly have. */
export const LOG_PORTS: Readonly<Record<LogTransport, number>> = { tls: 6514, tcp: 601, udp: 514 }

/** A server that takes messages of syslog (RFC 5424). */
export interface LogServer {
  readonly host: string
  readonly port: number
  readonly transport: LogTransport
  /**
   * The certificates of the authorities that it is checked by over TLS, as PEM; '' = those that are known
   * here.
   */
  readonly authority: string
  readonly kinds: readonly LogKind[]
}

/**
 * `GET /api/log-servers`: a server, who added it, and why the last messages could not be sent ('' = they
 * could).
 */
export interface LogServerAnswer extends LogServer {
  readonly id: string
  readonly author: string
  readonly trouble: string
}
