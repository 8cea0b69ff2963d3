import { compiledOf } from '../../../../core/decision/compile.ts'
import { planOf, type Plan } from '../../../../core/plan/plan.ts'
import type { Policy } from '../../../../core/policy/types.ts'
import { DAY, HOUR } from '../../../../core/time/duration.ts'
import type { ClockFloor } from '../watch/clock-floor.ts'
import type { RouterClock } from '../watch/clock.ts'
import { namingIn, type Naming } from '../names.ts'

/** The seconds that a plan covers, and those of it that may be over before the next is made. */
const HORIZON = 14 * DAY
const RENEWED = DAY
/** The past that a plan covers: a clock that is set back a little is still within it. */
const PAST_SECONDS = HOUR
/** The greatest age of a plan from a check when it is enforced, in seconds. */
const PLAN_LIFE = 60
/** A plan, with its clauses that go by the addresses of names. */
export interface MadePlan {
  readonly policy: Policy
  readonly closedAddresses: boolean
  readonly at: number
  readonly plan: Plan
  readonly naming: readonly Naming[]
}

/** Makes plans as of now. */
export class PlanMaker {
  #made: MadePlan | null = null

  /**
   * Makes none yet; `closedAddresses` says whether blocked names block their addresses, `floor` what time
   * it was already.
   */
  constructor(
    private readonly clock: RouterClock,
    private readonly closedAddresses: () => boolean,
    private readonly floor: Pick<ClockFloor, 'wrongBefore'>,
  ) {}

  /**
   * The plan of a policy: what was checked is mostly applied next, and with long lists a plan takes seconds.
   */
  planOf(policy: Policy): MadePlan {
    const closedAddresses = this.closedAddresses()
    const at = this.clock.seconds()
    const made = this.#made
    const isSame = made?.policy === policy && made.closedAddresses === closedAddresses
    if (isSame && at >= made.at && at <= made.at + PLAN_LIFE) return made
    // Before a time that was already the plan does not hold: what is done outside of it is said by the
    // administrator.
    const begins = this.floor.wrongBefore(at) ?? at - PAST_SECONDS
    const plan = planOf(compiledOf(policy, true), begins, Math.max(begins, at) + HORIZON)
    this.#made = { policy, closedAddresses, at, plan, naming: namingIn(plan, closedAddresses) }
    return this.#made
  }

  /** Whether so much of a plan is over that the next should be made. */
  isDue({ from }: Plan): boolean {
    return this.clock.seconds() > from + PAST_SECONDS + RENEWED
  }
}
