import { existsSync, mkdirSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { PROGRAM } from './bundle.mjs'

const root = fileURLToPath(new URL('../', import.meta.url))
/** The file in which `server/database/embedded.ts` looks for a database that takes seconds to make. */
const FILE = `${root}dist/empty-database.tar`
/** The files that say what is in it. */
const SOURCES = [
  'package-lock.json',
  ...['embedded', 'migrate', 'migrations', 'schema'].map((name) => `server/database/${name}.ts`),
]

/** Makes the empty database that new places begin with, where it is missing or a source is newer. */
export async function makeEmptyDatabase() {
  const made = existsSync(FILE) ? statSync(FILE).mtimeMs : 0
  if (SOURCES.every((source) => statSync(root + source).mtimeMs < made)) return
  const { build } = await import('esbuild')
  mkdirSync(`${root}dist`, { recursive: true })
  const packer = `${root}dist/pack-database.${process.pid}.mjs`
  await build({ ...PROGRAM, entryPoints: [`${root}server/database/embedded.ts`], outfile: packer })
  const { packDatabase } = await import(packer)
  const packed = await packDatabase()
  rmSync(packer)
  // Whoever makes it too at this time reads a whole one.
  writeFileSync(`${FILE}.${process.pid}`, packed)
  renameSync(`${FILE}.${process.pid}`, FILE)
}

/** Makes the file before all tests of Vitest. */
export default makeEmptyDatabase
