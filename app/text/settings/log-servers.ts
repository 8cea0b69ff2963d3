import type { LogKind, LogTransport } from '../../../protocol/syslog.ts'

/** The words for the messages to log servers. */
export const LOG_WORDS: Readonly<Record<LogKind, string>> = {
  alarm: 'Alarms of the gateway',
  audit: 'Who did what',
  drop: 'Dropped connections',
  lookup: 'DNS look-ups',
}

/** The words for the transports of messages. */
export const TRANSPORT_WORDS: Readonly<Record<LogTransport, string>> = {
  tls: 'TLS (protected)',
  tcp: 'TCP (not protected)',
  udp: 'UDP (not protected)',
}

/** The texts about log servers. */
export const logText = {
  title: 'Log servers',
  how: 'Send what happens to a syslog server (RFC 5424). Only what happens from now on is sent.',
  host: 'Server name or address',
  hostExample: 'logs.bindery.example',
  port: 'Port',
  transport: 'Connection',
  authority: 'Certificate of its authority',
  authorityHow: 'Leave empty if its certificate is from a public authority.',
  authorityExample: '-----BEGIN CERTIFICATE-----',
  kinds: 'What to send',
  add: 'Add log server',
  added: (server: string) => `${server} was added.`,
  tested: (server: string, isSure: boolean) =>
    isSure
      ? `A test message was sent to ${server}.`
      : `A test message was sent to ${server}. Check its log: UDP does not say whether it arrived.`,
  trouble: (trouble: string) => `Could not be sent: ${trouble}. Kairostat tries again.`,
}
