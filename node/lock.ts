import { createHash } from 'node:crypto'
import { link, mkdir, readFile, rm, writeFile } from 'node:fs/promises'
import { join } from 'node:path'
import { setTimeout as pause } from 'node:timers/promises'

/** Says that another living process holds a data folder. */
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
 * The tries for a lock that others take and give back meanwhile, and the pause between two, in
 * milliseconds.
 */
const TRIES = 50
const PAUSE_MS = 20
/**
 * The number of times that an empty lock is read again: without hard links a lock is empty for a moment
 * while it is made.
 */
const EMPTY_TRIES = 10
/** Error codes of a file system without hard links. */
const NO_LINKS = new Set(['EPERM', 'ENOTSUP', 'EOPNOTSUPP', 'ENOSYS'])

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
  const holder = await take(file, (await identity(process.pid))!)
  if (holder !== null) throw new LockedFolder(folder, holder)
  return () => rm(file, { force: true })
}

/**
 * Takes a lock file for a process. One of a dead process is removed under a lock of its own, named by what it
 * holds: whoever has that reads it once more, so that no other's is removed.
 *
 * @returns the number of the living process that has it; `null` = it is taken
 */
async function take(file: string, mine: string): Promise<number | null> {
  for (let tries = 0; tries < TRIES; tries++) {
    if (await createWhole(file, mine)) return null
    const held = await readFile(file, 'utf8').catch(() => null)
    // Given back a moment ago; or about to be written.
    if (held === null || (held === '' && tries < EMPTY_TRIES)) {
      await pause(PAUSE_MS)
      continue
    }
    const holder = Number.parseInt(held)
    if (held !== '' && held === (await identity(holder))) return holder
    const breaking = `${file}.${createHash('sha256').update(held).digest('hex').slice(0, 16)}`
    const isBroken = (await take(breaking, mine)) === null
    if (!isBroken) {
      await pause(PAUSE_MS)
      continue
    }
    if ((await readFile(file, 'utf8').catch(() => null)) === held) await rm(file, { force: true })
    await rm(breaking, { force: true })
  }
  throw new Error(`The lock ${file} could not be taken.`)
}

/** Creates a file with its text at once; returns `false` where it is there already. */
async function createWhole(file: string, text: string): Promise<boolean> {
  const own = `${file}.${process.pid}-${Math.random().toString(36).slice(2)}`
  try {
    await writeFile(own, text, { flag: 'wx' })
    await link(own, file).catch((error: NodeJS.ErrnoException) => {
      if (!NO_LINKS.has(error.code ?? '')) throw error
      return writeFile(file, text, { flag: 'wx' })
    })
    return true
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'EEXIST') return false
    throw error
  } finally {
    await rm(own, { force: true })
  }
}

/**
 * Returns a mark that tells a living process from a later one with the same number; `null` where there is no
 * such process.
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
