import { createHmac } from 'node:crypto'
import { fetch } from 'undici'

/** The time that a webhook has to answer. */
const PATIENCE_MS = 10_000

/** The body of a request to a webhook, as JSON. */
export interface HookBody {
  /** Grows with each notice: who gets one twice can tell. */
  readonly id: number
  readonly kind: string
  readonly at: string
  readonly place: string
  readonly words: string
}

/**
 * Signs what is sent to a webhook: HMAC-SHA-256 (RFC 2104) of the seconds since 1970, a full stop and the
 * body, in hexadecimal digits.
 */
export function signatureOf(secret: string, seconds: number, body: string): string {
  return createHmac('sha256', secret).update(`${seconds}.${body}`).digest('hex')
}

/**
 * Sends a notice to a webhook.
 *
 * @throws Error where it is not answered by a status from 200 to 299 within ten seconds
 */
export async function postHook(
  { url, secret }: { url: string; secret: string },
  notice: HookBody,
): Promise<void> {
  const body = JSON.stringify(notice)
  const seconds = Math.floor(Date.now() / 1000)
  const response = await fetch(url, {
    method: 'POST',
    body,
    redirect: 'manual',
    signal: AbortSignal.timeout(PATIENCE_MS),
    headers: {
      'content-type': 'application/json',
      'user-agent': 'Kairostat',
      'kairostat-time': String(seconds),
      'kairostat-signature': `sha256=${signatureOf(secret, seconds, body)}`,
    },
  }).catch((error: Error) => {
    throw new Error(error.cause instanceof Error ? error.cause.message : error.message)
  })
  await response.body?.cancel()
  if (!response.ok) throw new Error(`It answered ${response.status}: a status from 200 to 299 is expected.`)
}
