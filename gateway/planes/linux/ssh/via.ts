import { createHash } from 'node:crypto'
import { join } from 'node:path'
import ssh2 from 'ssh2'
import { readIfThere, writeAtomically } from '../../../../node/atomic-file.ts'
import { SshSystem } from './ssh-system.ts'

/** The files of the state folder that belong to a router reached over SSH. */
export const VIA_FILES = { key: 'router-key', hostKey: 'router-host-key' } as const

/** The address of a router over SSH. */
export interface Via {
  readonly host: string
  readonly port: number
  readonly user: string
}

/**
 * Reads where a router is; `null` where the text does not say.
 *
 * @example readVia('ssh://root@192.168.77.1') // { user: 'root', host: '192.168.77.1', port: 22 }
 */
export function readVia(text: string): Via | null {
  if (!URL.canParse(text)) return null
  const { protocol, username, hostname, port, password, pathname, search } = new URL(text)
  const isPlain = password === '' && search === '' && ['', '/'].includes(pathname)
  if (protocol !== 'ssh:' || username === '' || hostname === '' || !isPlain) return null
  return {
    user: decodeURIComponent(username),
    host: hostname.replace(/^\[|\]$/g, ''),
    port: port === '' ? 22 : Number(port),
  }
}

/** A router over SSH. */
export interface OpenedVia {
  readonly system: SshSystem
  /** The fingerprint of the host key that the router showed; empty before it did. */
  readonly fingerprint: () => string
  /**
   * Pins the host key that the router showed: no other is trusted from now on.
   *
   * @returns whether none was pinned before
   */
  pin(): Promise<boolean>
}

/**
 * Opens the way to a router with the key of this machine, made and kept in the state folder the first time. The
 * host key that is pinned there is the only one that is trusted; before the first, any.
 *
 * @param password - lets in in the place of the key
 * @throws FileFault
 */
export async function openVia(via: Via, folder: string, password?: string): Promise<OpenedVia> {
  const hostKeyFile = join(folder, VIA_FILES.hostKey)
  const { privateKey, keyLine } = await ownKey(folder)
  const pinned = (await readIfThere(hostKeyFile))?.trim() ?? null
  let seen: string | null = null
  const system = new SshSystem({
    ...via,
    proof: password === undefined ? { privateKey } : { password },
    keyLine,
    isTrusted: (key) => {
      const fingerprint = fingerprintOf(key)
      seen ??= fingerprint
      return fingerprint === (pinned ?? seen)
    },
    hostKeyFile,
  })
  return {
    system,
    fingerprint: () => seen ?? '',
    pin: async () => {
      if (pinned !== null || seen === null) return false
      await writeAtomically(hostKeyFile, `${seen}\n`)
      return true
    },
  }
}

/**
 * The key of this machine, made and kept in the state folder the first time, and its line in a file of
 * authorized keys (sshd(8)).
 *
 * @throws Error where the file holds no key
 * @throws FileFault
 */
export async function ownKey(
  folder: string,
): Promise<{ readonly privateKey: string; readonly keyLine: string }> {
  const file = join(folder, VIA_FILES.key)
  const privateKey = (await readIfThere(file)) ?? (await makeKey(file))
  const parsed = ssh2.utils.parseKey(privateKey)
  if (parsed instanceof Error)
    throw new Error(`${file} holds no private key (${parsed.message}): delete it, and a new one is made.`)
  return { privateKey, keyLine: `${parsed.type} ${parsed.getPublicSSH().toString('base64')} kairostat` }
}

/** New keys (Ed25519), as OpenSSH writes them. */
export function newKeys(): { readonly private: string; readonly public: string } {
  for (;;) {
    const keys = ssh2.utils.generateKeyPairSync('ed25519', { comment: 'kairostat' })
    // One in 256 begins with a zero, which ssh2 (1.17) leaves out.
    if (!(ssh2.utils.parseKey(keys.private) instanceof Error)) return keys
  }
}

/** A host key as OpenSSH shows it. */
const fingerprintOf = (key: Buffer) =>
  `SHA256:${createHash('sha256').update(key).digest('base64').replace(/=+$/, '')}`

async function makeKey(file: string): Promise<string> {
  const { private: privateKey } = newKeys()
  await writeAtomically(file, privateKey)
  return privateKey
}
