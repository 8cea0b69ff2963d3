import { mkdir, readFile, rename, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'

/** That another living process holds a data folder. */
export class LockedFolder extends Error {
  constructor(
    readonly folder: string,
    readonly holder: number,
  ) {
    super(
      `The data folder ${folder} is in use by process ${holder}. Stop that one, or choose another folder.`,
    )
  }
}

/**
 * Takes the exclusive lock of a data folder, made where it is missing. The lock is a file that names the
 * process, its boot and its start, so that one left by a killed process never stands in the way.
 *
 * @returns the function that gives it back
 * @throws LockedFolder
 */
export async function lockFolder(folder: string): Promise<() => Promise<void>> {
  await mkdir(folder, { recursive: true })
  const file = join(folder, 'lock')
  const mine = await identity(process.pid)
  for (let tries = 0; tries < 5; tries++) {
    try {
      await writeFile(file, mine!, { flag: 'wx' })
      return () => rm(file, { force: true })
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'EEXIST') throw error
    }
    const held = await readFile(file, 'utf8').catch(() => '')
    const holder = Number.parseInt(held)
    if (held !== '' && held === (await identity(holder))) throw new LockedFolder(folder, holder)
    // Of several that find a dead lock, the renaming lets one win: the others find the file gone and try
    // again.
    await rename(file, `${file}.${process.pid}`).catch(() => {})
    await rm(`${file}.${process.pid}`, { force: true })
  }
  throw new Error(`The lock of ${folder} could not be taken.`)
}

/**
 * What tells a living process from a later one with the same number; `null` where there is no such process.
 */
async function identity(pid: number): Promise<string | null> {
  try {
    process.kill(pid, 0)
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code !== 'EPERM') return null
  }
  const stat = await readFile(`/proc/${pid}/stat`, 'utf8').catch(() => '')
  const boot = await readFile('/proc/sys/kernel/random/boot_id', 'utf8').catch(() => '')
  // Field 22 is the start in clock ticks since boot; the name in field 2 may hold blanks, so count from its
  // closing bracket.
  const started = stat.slice(stat.lastIndexOf(')') + 2).split(' ')[19] ?? ''
  return `${pid} ${boot.trim()} ${started}`.trim()
}
