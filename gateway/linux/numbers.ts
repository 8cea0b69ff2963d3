import { keep, readKept } from '../kept.ts'
import { NEWCOMER } from './table.ts'

/** The numbers of addresses, which stay what they are for ever: a connection's mark outlives the table that set it. */
export interface Numbers {
  readonly all: ReadonlyMap<string, number>
  /** Gives every address without a number the next that is free, and keeps that. Throws RangeError where there are too many. */
  give(macs: readonly string[]): Promise<void>
}

/** Numbers as they are kept in a file; `null` = only in memory. */
export async function numbersIn(file: string | null): Promise<Numbers> {
  const all = new Map(Object.entries(JSON.parse((file === null ? null : await readKept(file)) ?? '{}') as Record<string, number>))
  return {
    all,
    give: async (macs) => {
      const fresh = macs.filter(mac => !all.has(mac))
      if (fresh.length === 0) return
      let next = Math.max(0, ...all.values())
      if (next + fresh.length >= NEWCOMER) throw new RangeError(`A Linux gateway tells ${NEWCOMER - 1} addresses apart, and there are more.`)
      for (const mac of fresh) all.set(mac, ++next)
      if (file !== null) await keep(file, JSON.stringify(Object.fromEntries(all)))
    },
  }
}
