import { randomBytes } from 'node:crypto'
import { writeAtomically } from '../../../../node/atomic-file.ts'
import { readOrBegin, type Damage } from '../../../state/state.ts'
import { NEWCOMER } from './table-setting.ts'

/**
 * The numbers of senders, by their keys: a connection's mark outlives the table that set it, so that each keeps
 * its own as long as it is in the policy.
 */
export interface MarkRegistry {
  readonly all: ReadonlyMap<string, number>
  /**
   * A secret of this state folder (hexadecimal digits), by which it is known, and what others cannot guess
   * is made.
   */
  readonly secret: string
  /**
   * The numbers that senders would have, without giving them out.
   *
   * @throws RangeError where there are too many
   */
  tentative(keys: readonly string[]): ReadonlyMap<string, number>
  /**
   * Gives every sender a number and takes back those of all others; is written down before it counts.
   *
   * @throws RangeError where there are too many
   */
  assign(keys: readonly string[]): Promise<void>
}

/** The content of the file: the numbers, the last one that was given out, and the secret. */
interface Written {
  readonly numbers: Readonly<Record<string, number>>
  readonly last: number
  readonly secret: string | null
}

/** Reads what was written down; `null` where it is not that. */
function readMarks(text: string): Written | null {
  const value = JSON.parse(text) as { numbers?: unknown; last?: unknown; secret?: unknown } | null
  // Earlier versions wrote the numbers alone.
  const numbers = (value && 'last' in value ? value.numbers : value) as Record<string, unknown> | null
  if (typeof numbers !== 'object' || numbers === null || Array.isArray(numbers)) return null
  const given = Object.values(numbers)
  if (
    !given.every((one) => Number.isInteger(one) && Number(one) > 0 && Number(one) < NEWCOMER) ||
    new Set(given).size < given.length
  )
    return null
  const last = Number.isInteger(value!.last) ? Number(value!.last) : Math.max(0, ...given.map(Number))
  const secret =
    typeof value!.secret === 'string' && /^[0-9a-f]{32}$/.test(value!.secret) ? value!.secret : null
  return { numbers: numbers as Record<string, number>, last, secret }
}

/** The registry as it was written down in a file (`null` = only in memory). */
export function markRegistry(written: Written | null, file: string | null): MarkRegistry {
  let all: ReadonlyMap<string, number> = new Map(Object.entries(written?.numbers ?? {}))
  let last = written?.last ?? 0
  const secret = written?.secret ?? randomBytes(16).toString('hex')
  let isSecretKept = written?.secret === secret
  const givenTo = (keys: readonly string[]) => {
    const wanted = new Set(keys)
    if (wanted.size >= NEWCOMER)
      throw new RangeError(
        `A Linux gateway tells ${NEWCOMER - 1} MAC addresses apart, each counted again in a network where other rules apply to it, and the policy has ${wanted.size}: remove devices.`,
      )
    const next = new Map([...all].filter(([key]) => wanted.has(key)))
    const taken = new Set(next.values())
    let at = last
    // On from the last, so that one that was taken back is given out again as late as can be: connections may
    // bear its mark still.
    for (const key of wanted) {
      if (next.has(key)) continue
      do at = (at % (NEWCOMER - 1)) + 1
      while (taken.has(at))
      taken.add(at)
      next.set(key, at)
    }
    return { next, at }
  }
  return {
    get all() {
      return all
    },
    secret,
    tentative: (keys) => givenTo(keys).next,
    assign: async (keys) => {
      const { next, at } = givenTo(keys)
      const isSame = next.size === all.size && [...next].every(([key, number]) => all.get(key) === number)
      if ((!isSame || !isSecretKept) && file !== null)
        await writeAtomically(file, JSON.stringify({ numbers: Object.fromEntries(next), last: at, secret }))
      isSecretKept = true
      all = next
      last = at
    },
  }
}

/**
 * The registry that a file keeps; where that is damaged, it is begun anew: connections that bear old numbers
 * are cut, and can be made again.
 */
export async function keptMarks(
  file: string,
): Promise<{ readonly numbers: MarkRegistry; readonly damages: readonly Damage[] }> {
  const { value, damage } = await readOrBegin(file, readMarks, null)
  return { numbers: markRegistry(value, file), damages: damage ? [damage] : [] }
}
