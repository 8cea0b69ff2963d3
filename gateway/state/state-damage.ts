import { UNTIL_OVER } from './trouble-log.ts'
import type { TroubleLog } from './trouble-log.ts'
import type { Damage } from './state.ts'

/** Hears of what goes wrong while nobody asks; `doing` says during what. */
export type FaultListener = (error: unknown, doing: string) => void

/** The surroundings of every part that stores something in the state folder. */
export interface StateParts {
  /** The state folder; `null` = what the part holds is kept in memory alone. */
  readonly folder: string | null
  readonly troubles: TroubleLog
  readonly damage: StateDamage
  readonly nowSeconds: () => number
  readonly fault: FaultListener
}

/** The files of the state folder that could not be read: each is an alarm until it is well again. */
export class StateDamage {
  constructor(
    private readonly troubles: TroubleLog,
    private readonly nowSeconds: () => number,
    private readonly fault: FaultListener,
  ) {}

  /** Raises the alarm of a file, in the place of an earlier one of it, and tells it once. */
  note({ file, words }: Damage): void {
    this.over(file)
    this.troubles.note('state', `${file} ${words}`, this.nowSeconds(), UNTIL_OVER)
    try {
      this.fault(new Error(`${file} ${words}.`), 'reading the state of the gateway')
    } catch {
      // It is an alarm already; without a listener nothing more can be said.
    }
  }

  /** Ends the alarm of a file: it was written anew. */
  over(file: string): void {
    for (const { kind, about } of this.troubles.all(this.nowSeconds()))
      if (kind === 'state' && about.startsWith(`${file} `)) this.troubles.over(kind, about)
  }
}
