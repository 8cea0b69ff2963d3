import { createTransport } from 'nodemailer'
import type { MailServer } from '../../protocol/notice.ts'

/** The time that each step of sending a mail may take. */
const PATIENCE_MS = 15_000

/** A mail in plain text. */
export interface Mail {
  readonly to: string
  readonly subject: string
  readonly text: string
}

/**
 * Sends a mail by SMTP (RFC 5321).
 *
 * @throws Error with the server's reason
 */
export async function sendMail(
  server: MailServer & { readonly password: string },
  mail: Mail,
): Promise<void> {
  const { host, port, security, user, password, from } = server
  const transport = createTransport({
    host,
    port,
    secure: security === 'tls',
    requireTLS: security === 'starttls',
    ignoreTLS: security === 'none',
    ...(user !== '' && { auth: { user, pass: password } }),
    connectionTimeout: PATIENCE_MS,
    greetingTimeout: PATIENCE_MS,
    socketTimeout: PATIENCE_MS,
    disableFileAccess: true,
    disableUrlAccess: true,
  })
  try {
    await transport.sendMail({ from, ...mail, headers: { 'Auto-Submitted': 'auto-generated' } })
  } finally {
    transport.close()
  }
}
