import type { TlsOptions } from 'node:tls'

/**
 * TLS by the secret that both sides got when they were paired (RFC 5487, RFC 8442): each proves that it has
 * it, so that neither a certificate nor an authority is needed and nobody in between can read or speak for
 * one of
 * them; every connection has keys of its own, so that one who gets the secret later cannot read what was said
 * before. Node offers this up to TLS 1.2.
 */
export const SECURE = {
  ciphers: 'ECDHE-PSK-CHACHA20-POLY1305',
  minVersion: 'TLSv1.2',
  maxVersion: 'TLSv1.2',
} as const satisfies TlsOptions
/** The name by which the application introduces itself. */
export const IDENTITY = 'kairostat'
/** The fewest characters of a secret that may be tried from outside. */
export const SECRET_LENGTH = 24
