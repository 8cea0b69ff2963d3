import { computed, type ComputedRef } from 'vue'
import type { DeviceChange } from '../../core/change/hours.ts'
import type { Policy } from '../../core/policy/types.ts'
import { DAY } from '../../core/time/duration.ts'
import { useGateway } from '../stores/gateway.ts'
import { useMoment } from '../stores/moment.ts'
import { useAsked } from './useDecider.ts'

/**
 * Compares two policies over seven days from the true instant on. `changes` is `null` until it is worked out,
 * and where there is nothing to compare.
 *
 * @returns the changes, and from when on (seconds) they are told
 */
export function useChanges(pair: () => { readonly before: Policy; readonly after: Policy } | null): {
  readonly changes: ComputedRef<DeviceChange[] | null>
  readonly from: ComputedRef<number>
} {
  const [gateway, moment] = [useGateway(), useMoment()]
  const asked = useAsked(() => {
    const compared = pair()
    if (!compared) return null
    const from = moment.instant()
    return { kind: 'changes' as const, ...compared, from, until: from + 7 * DAY, seen: gateway.whereabouts }
  })
  return {
    changes: computed(() => asked.value?.answer ?? null),
    from: computed(() => asked.value?.question.from ?? moment.now),
  }
}
