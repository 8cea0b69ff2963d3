import { scrypt } from 'node:crypto'
import { promisify } from 'node:util'
import { readIfThere, writeAtomically } from '../../node/atomic-file.ts'
import { plainCode } from '../../node/code.ts'
import { SECRET_LENGTH } from '../../node/secure.ts'

/** The time for which a code is valid, in milliseconds, and the wrong tries that end it. */
export const CODE_LASTS = 600_000
const WRONG_TRIES = 5
/** The name by which an application with a code introduces itself. */
export const PAIRING_IDENTITY = 'kairostat-pairing'

/**
 * The pre-shared key of TLS that a code stands for (scrypt, RFC 7914). Who stands in between may guess codes
 * by what was said; each guess takes a tenth of a second, and there are 2^39, while a code lasts ten minutes.
 */
export function keyOfCode(code: string): Promise<Buffer> {
  const cost = { N: 2 ** 15, r: 8, p: 1, maxmem: 64 * 1024 * 1024 }
  return promisify<string, string, number, object, Buffer>(scrypt)(
    plainCode(code),
    'kairostat pairing 1',
    32,
    cost,
  )
}

/** The secret that the application proves to have; and, for a while, a code by which it may give another. */
export class GatewaySecret {
  #secret: string | null
  #window: { readonly key: Buffer; readonly timer: NodeJS.Timeout; wrong: number } | null = null

  /** With the secret that counts now, and where one that is given is kept; `null` = none is taken. */
  constructor(
    secret: string | null,
    private readonly file: string | null = null,
    private readonly tell: (words: string) => void = () => {},
  ) {
    this.#secret = secret
  }

  /** Takes up the secret that was given last, or else another. */
  static async open(
    file: string,
    first: string | null,
    tell: (words: string) => void,
  ): Promise<GatewaySecret> {
    const kept = await readIfThere(file)
    const isDamaged = kept !== null && kept.length < SECRET_LENGTH
    if (isDamaged) tell(`${file} is damaged: pair the application again.`)
    return new GatewaySecret(isDamaged ? null : (kept ?? first), file, tell)
  }

  /** `null` = nobody is let in but with a code. */
  get current(): string | null {
    return this.#secret
  }

  /** Lets the application in with a code, for ten minutes or until it was used; an earlier code ends. */
  async offer(code: string): Promise<void> {
    const key = await keyOfCode(code)
    this.#close()
    const timer = setTimeout(() => {
      this.#close()
      this.tell('The pairing code is over. Make another with: kairostat gateway pair')
    }, CODE_LASTS).unref()
    this.#window = { key, timer, wrong: 0 }
  }

  /** The key of TLS for who says who they are; `null` = nobody is let in so. */
  keyFor(identity: string): Buffer | null {
    if (identity === PAIRING_IDENTITY) return this.#window?.key ?? null
    return this.#secret === null ? null : Buffer.from(this.#secret)
  }

  /** Counts a connection that could not prove its code: after a few the code ends. */
  refused(): void {
    if (!this.#window || ++this.#window.wrong < WRONG_TRIES) return
    this.#close()
    this.tell('The pairing code ended: wrong ones were tried. Make another with: kairostat gateway pair')
  }

  /** The code that lets in now, by which a connection is known that was made with it; `null` = none does. */
  get offered(): object | null {
    return this.#window
  }

  /**
   * Takes another secret, given by who had the code, which ends.
   *
   * @param code - what `offered` was when the connection was made
   * @returns whether it was taken: a code that was used or is over gives none
   */
  async take(secret: string, code: object): Promise<boolean> {
    if (this.file === null) throw new Error('This gateway takes no secret.')
    if (code !== this.#window) return false
    // Before it is written: of two that come at once the second finds it over.
    this.#close()
    await writeAtomically(this.file, secret)
    this.#secret = secret
    this.tell('The application was paired.')
    return true
  }

  #close(): void {
    clearTimeout(this.#window?.timer)
    this.#window = null
  }
}
