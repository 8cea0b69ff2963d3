import { existsSync, mkdirSync, renameSync, statSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'

/**
 * The file in which `server/database/database.ts` looks for an empty database, which takes seconds to make.
 */
const root = fileURLToPath(new URL('../', import.meta.url))
const FILE = `${root}dist/empty-database.tar`

/** Makes the empty database that new places begin with, where it is missing or the packages are newer. */
export async function makeEmptyDatabase() {
  if (existsSync(FILE) && statSync(FILE).mtimeMs > statSync(`${root}package-lock.json`).mtimeMs) return
  const { PGlite } = await import('@electric-sql/pglite')
  const lite = await PGlite.create()
  const packed = Buffer.from(await (await lite.dumpDataDir('none')).arrayBuffer())
  await lite.close()
  mkdirSync(`${root}dist`, { recursive: true })
  // Whoever makes it too at this time reads a whole one.
  writeFileSync(`${FILE}.${process.pid}`, packed)
  renameSync(`${FILE}.${process.pid}`, FILE)
}

/** Makes the file before all tests of Vitest. */
export default makeEmptyDatabase
