import { mkdir, readFile, rename, writeFile } from 'node:fs/promises'
import { dirname } from 'node:path'

/** What is kept in a file; `null` where there is none yet. */
export function readKept(file: string): Promise<string | null> {
  return readFile(file, 'utf8').catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ENOENT') return null
    throw error
  })
}

/** Keeps a text in a file, whole or not at all; its folder is made where it is missing. */
export async function keep(file: string, text: string): Promise<void> {
  await (await prepareKeeping(file, text))()
}

/** Writes a text beside a file, as `keep` does; it takes the file's place when the function that comes back is called. */
export async function prepareKeeping(file: string, text: string): Promise<() => Promise<void>> {
  await mkdir(dirname(file), { recursive: true })
  await writeFile(`${file}.new`, text, { flush: true })
  return () => rename(`${file}.new`, file)
}
