import type { Effect } from '../core/policy/types.ts'
import { instantText } from '../core/time/instant.ts'
import type { Lookup } from './protocol.ts'

/** The longest time from the first to the last look-up of a run, in seconds. */
const RUN = 3600
/** How long a run is kept after its last look-up, in seconds. */
const KEPT = 8 * 86_400

interface Run { readonly mac: string, readonly name: string, readonly effect: Effect, readonly first: number, last: number, tries: number }

/** What devices looked up, gathered into runs; instants are in seconds and come in their order. */
export interface LookupLog {
  add(mac: string, name: string, effect: Effect, at: number): void
  /** The runs that went on at or after an instant. */
  since(at: number): Lookup[]
}

/** An empty log, kept in memory. */
export function lookupLog(): LookupLog {
  let runs: Run[] = []
  const current = new Map<string, Run>()
  return {
    add: (mac, name, effect, at) => {
      const key = `${mac} ${name} ${effect}`
      const run = current.get(key)
      if (run && at >= run.first && at - run.first < RUN) {
        run.last = at
        run.tries++
        return
      }
      const next = { mac, name, effect, first: at, last: at, tries: 1 }
      // One pass a few thousand runs keeps the log from growing without end.
      if (runs.length % 4096 === 4095) {
        runs = runs.filter(({ last }) => at - last < KEPT)
        for (const [other, { last }] of current) if (at - last >= KEPT) current.delete(other)
      }
      runs.push(next)
      current.set(key, next)
    },
    since: at => runs.filter(({ last }) => last >= at).map(run => ({ ...run, first: instantText(run.first), last: instantText(run.last) })),
  }
}
