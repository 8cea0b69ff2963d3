import { isThere } from './atomic-file.ts'

/**
 * A file that the build makes beside the program, looked for upwards from its folder; `null` where none is.
 */
export async function builtFile(name: string): Promise<URL | null> {
  for (let folder = new URL('.', import.meta.url); ; folder = new URL('..', folder)) {
    const file = new URL(`dist/${name}`, folder)
    if (await isThere(file)) return file
    if (folder.pathname === '/') return null
  }
}
