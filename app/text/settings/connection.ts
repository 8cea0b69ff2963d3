import type { CertificateAnswer } from '../../../protocol/answers.ts'

/** The texts about how this page is reached. */
export const connectionText = {
  connection: 'Connection',
  /** Returns the protection of this page, by its certificate and its address (as `location` says it). */
  how: (certificate: CertificateAnswer['certificate'], protocol: string, hostname: string): string => {
    if (certificate?.isOwn)
      return 'Encrypted. Kairostat made the certificate itself, so a browser warns the first time. Continue there only if it shows this fingerprint (SHA-256):'
    if (certificate)
      return `Encrypted. The certificate is valid until ${new Date(certificate.until).toLocaleDateString(undefined, { dateStyle: 'long' })}.`
    if (protocol === 'https:') return 'Encrypted, by the proxy in front of Kairostat.'
    if (['localhost', '127.0.0.1', '[::1]'].includes(hostname))
      return 'Not encrypted, which is fine here: this browser and Kairostat run on the same computer.'
    return 'Not encrypted: others on this network could read your password. Start Kairostat with [[KAIROSTAT_TLS=on]].'
  },
}
