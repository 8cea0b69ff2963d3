import { chmod, mkdir, open, readFile, rename, stat } from 'node:fs/promises'
import { dirname } from 'node:path'

/** Says that a file could not be read or written, and what to do about it. */
export class FileFault extends Error {
  constructor(
    readonly file: string,
    doing: 'read' | 'written',
    readonly reason: NodeJS.ErrnoException,
  ) {
    super(`${file} could not be ${doing}: ${remedy(reason)}`)
  }
}

function remedy({ code, message }: NodeJS.ErrnoException): string {
  if (code === 'ENOSPC' || code === 'EDQUOT') return 'the disk is full; free some space on it.'
  if (code === 'EACCES' || code === 'EPERM')
    return 'this program may not; give it the right to the file and its folder.'
  if (code === 'EROFS') return 'the file system is read-only; mount it for writing.'
  if (code === 'EISDIR') return 'it is a folder; remove that.'
  return message
}

/** Whether there is something at a path. */
export async function isThere(path: string | URL): Promise<boolean> {
  return stat(path).then(
    () => true,
    (error: NodeJS.ErrnoException) => {
      if (error.code === 'ENOENT') return false
      throw error
    },
  )
}

/**
 * The text in a file; `null` where there is none yet.
 *
 * @throws FileFault
 */
export function readIfThere(file: string): Promise<string | null> {
  return readFile(file, 'utf8').catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return null
    throw new FileFault(file, 'read', error)
  })
}

/**
 * Writes a text or bytes into a file, whole or not at all, also where the power fails; its folder is made
 * where it is missing.
 *
 * @throws FileFault
 */
export async function writeAtomically(file: string, text: string | Uint8Array): Promise<void> {
  await (
    await prepareFile(file, text)
  )()
}

/**
 * Writes a text beside a file, as `writeAtomically` does; it takes the file's place when the function that
 * comes back is called. One at a time for a file.
 *
 * @throws FileFault
 */
export async function prepareFile(file: string, text: string | Uint8Array): Promise<() => Promise<void>> {
  const fault = (error: unknown) => new FileFault(file, 'written', error as NodeJS.ErrnoException)
  try {
    await mkdir(dirname(file), { recursive: true, mode: 0o700 })
    const handle = await open(`${file}.new`, 'w', 0o600)
    try {
      await handle.writeFile(text)
      await handle.sync()
    } finally {
      await handle.close()
    }
    // A file of an earlier program may be open to others.
    await chmod(`${file}.new`, 0o600)
  } catch (error) {
    throw fault(error)
  }
  return async () => {
    try {
      await rename(`${file}.new`, file)
      // The new name is on the disk when its folder is.
      const folder = await open(dirname(file), 'r')
      await folder.sync().finally(() => folder.close())
    } catch (error) {
      throw fault(error)
    }
  }
}
