import { createHash, randomBytes } from 'node:crypto'

/** A secret that is told once: 256 random bits in base64url. */
export function newSecret(): string {
  return randomBytes(32).toString('base64url')
}

/**
 * Returns the hash of a secret, which is stored so that a copy of the database gives nobody access: SHA-256
 * in hexadecimal.
 */
export function hashOfSecret(secret: string): string {
  return createHash('sha256').update(secret).digest('hex')
}
