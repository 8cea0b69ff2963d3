import { createPrivateKey, X509Certificate, type KeyObject } from 'node:crypto'
import { hostname, networkInterfaces } from 'node:os'
import { isIP } from 'node:net'
import { join } from 'node:path'
import { generate } from 'selfsigned'
import { readIfThere, writeAtomically } from '../../node/atomic-file.ts'
import { pacedLoop } from '../../node/paced-loop.ts'
import { DAY } from '../../core/time/duration.ts'

/** The files of a certificate and its key (PEM, RFC 7468). */
export interface CertificateFiles {
  readonly cert: string
  readonly key: string
  /** Whether Kairostat makes the certificate itself, and again before it ends. */
  readonly isOwn: boolean
}

/** A certificate with its key, as they stand in their files. */
export interface KeyPair {
  readonly cert: string
  readonly key: string
}

/** The time between two looks for a renewed certificate. */
const LOOK_EVERY = 10_000
/**
 * The time for which our own certificate is valid, and the time before its end at which it is renewed, in
 * seconds.
 */
const OWN_LIFE = 825 * DAY
const OWN_AHEAD = 30 * DAY

/**
 * The files of the certificate with which Kairostat is served, from its settings; `null` where it is served
 * without TLS.
 *
 * @param settings - the variables of the environment
 * @param folder - the data folder, for a certificate of our own
 * @throws Error where the settings contradict each other
 */
export function certificateFiles(settings: NodeJS.ProcessEnv, folder: string): CertificateFiles | null {
  const { KAIROSTAT_TLS: tls, KAIROSTAT_TLS_CERT: cert, KAIROSTAT_TLS_KEY: key } = settings
  if (tls !== undefined && tls !== 'on' && tls !== 'off')
    throw new Error(`KAIROSTAT_TLS is "${tls}": set it to on or off.`)
  if (Boolean(cert) !== Boolean(key)) {
    const [set, missing] = cert ? ['CERT', 'KEY'] : ['KEY', 'CERT']
    throw new Error(`KAIROSTAT_TLS_${set} is set but KAIROSTAT_TLS_${missing} is not: name both files.`)
  }
  if (tls === 'off') return null
  if (cert && key) return { cert, key, isOwn: false }
  if (tls !== 'on') return null
  return {
    cert: join(folder, 'tls', 'certificate.pem'),
    key: join(folder, 'tls', 'key.pem'),
    isOwn: true,
  }
}

/**
 * The certificate and key that stand in the files now. One of our own is made where it is missing or ends soon.
 *
 * @param names - under which Kairostat is reached, for one that is made
 * @throws Error where a file is missing or holds something else, or the two do not belong together
 * @throws FileFault
 */
export async function readPair(files: CertificateFiles, names: readonly string[]): Promise<KeyPair> {
  const cert = await readIfThere(files.cert)
  if (files.isOwn && (cert === null || endsSoon(cert, files))) return makePair(files, names)
  const key = await readIfThere(files.key)
  const remedy = files.isOwn
    ? 'delete both, and new ones are made.'
    : 'look at KAIROSTAT_TLS_CERT and KAIROSTAT_TLS_KEY.'
  if (cert === null || key === null)
    throw new Error(`${cert === null ? files.cert : files.key} is missing: ${remedy}`)
  if (!certificateIn(cert, files).checkPrivateKey(keyIn(key, files)))
    throw new Error(`The key in ${files.key} is not that of the certificate in ${files.cert}: ${remedy}`)
  return { cert, key }
}

/** The certificate that is being served, looked at again as long as it is. */
export class ServedCertificate {
  #pair: KeyPair
  #stop: (() => void) | null = null
  /** The fault of the files as they are now, and whether it was told. */
  #trouble: { readonly message: string; readonly isTold: boolean } | null = null

  private constructor(
    readonly files: CertificateFiles,
    private readonly names: readonly string[],
    pair: KeyPair,
  ) {
    this.#pair = pair
  }

  /**
   * Takes up the certificate in the files.
   *
   * @throws Error
   * @throws FileFault
   * @see readPair
   */
  static async open(files: CertificateFiles, names: readonly string[]): Promise<ServedCertificate> {
    return new ServedCertificate(files, names, await readPair(files, names))
  }

  get pair(): KeyPair {
    return this.#pair
  }

  /**
   * Tells of each other certificate that stands in the files from now on; what is wrong there goes to
   * `fault`.
   */
  watch(renewed: (pair: KeyPair) => void, fault: (error: Error) => void, every = LOOK_EVERY): void {
    const look = async () => {
      const pair = await readPair(this.files, this.names)
      this.#trouble = null
      if (pair.cert === this.#pair.cert && pair.key === this.#pair.key) return
      this.#pair = pair
      renewed(pair)
    }
    this.#stop = pacedLoop({ everyMs: every }, look, (error) => {
      // Seen once, it may be that the two are just being written.
      const { message } = error as Error
      const isKnown = message === this.#trouble?.message
      if (isKnown && !this.#trouble!.isTold) fault(error as Error)
      this.#trouble = { message, isTold: isKnown }
    })
  }

  stop(): void {
    this.#stop?.()
  }
}

/**
 * The facts that a browser shows of a certificate: its fingerprint (SHA-256), and until when it is valid (ISO
 * 8601, UTC).
 */
export interface CertificateFacts {
  readonly fingerprint: string
  readonly until: string
}

/** Returns what a browser shows of a certificate (PEM). */
export function factsOf(cert: string): CertificateFacts {
  const { fingerprint256, validTo } = new X509Certificate(cert)
  return { fingerprint: fingerprint256, until: new Date(validTo).toISOString() }
}

function endsSoon(cert: string, files: CertificateFiles): boolean {
  return Date.parse(certificateIn(cert, files).validTo) < Date.now() + OWN_AHEAD * 1000
}

function certificateIn(text: string, { cert }: CertificateFiles): X509Certificate {
  try {
    return new X509Certificate(text)
  } catch (error) {
    throw new Error(`${cert} holds no certificate in PEM: ${(error as Error).message}.`)
  }
}

function keyIn(text: string, { key }: CertificateFiles): KeyObject {
  try {
    return createPrivateKey(text)
  } catch (error) {
    throw new Error(`${key} holds no private key in PEM without a password: ${(error as Error).message}.`)
  }
}

async function makePair(files: CertificateFiles, names: readonly string[]): Promise<KeyPair> {
  const addresses = Object.values(networkInterfaces()).flatMap((all) =>
    all!.filter(({ scopeid }) => !scopeid).map(({ address }) => address),
  )
  const all = [...new Set(['localhost', hostname(), ...names, ...addresses])]
  const { cert, private: key } = await generate([{ name: 'commonName', value: 'Kairostat' }], {
    keyType: 'ec',
    algorithm: 'sha256',
    notAfterDate: new Date(Date.now() + OWN_LIFE * 1000),
    extensions: [
      { name: 'basicConstraints', cA: false, critical: true },
      { name: 'keyUsage', digitalSignature: true, critical: true },
      { name: 'extKeyUsage', serverAuth: true },
      {
        name: 'subjectAltName',
        altNames: all.map((name) => (isIP(name) === 0 ? { type: 2, value: name } : { type: 7, ip: name })),
      },
    ],
  })
  // The certificate last: where it is there, its key is.
  await writeAtomically(files.key, key)
  await writeAtomically(files.cert, cert)
  return { cert, key }
}
