import type { AllowanceUse } from '../../core/allowance/outlook.ts'
import type { Spent } from '../../core/policy/types.ts'

/**
 * The usage of allowances by an instant of the gateway's clock (in UTC): the use of those whose period goes
 * on, where there is some, and when allowances were or will be used up, back to an instant that was asked for.
 */
export interface AllowanceNews {
  readonly at: string
  readonly uses: readonly AllowanceUse[]
  readonly spent: readonly Spent[]
}
