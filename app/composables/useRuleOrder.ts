import { computed, ref, type Ref } from 'vue'
import type { ruleSteps } from '../../core/policy/pair.ts'
import { useDraftPolicy } from '../stores/draft.ts'
import { effectWords } from '../../core/words/change.ts'
import { rulesText } from '../text/rules.ts'
import { useChanges } from './useChanges.ts'
import { orderMark, type useDraft } from './useDraft.ts'

/**
 * Moves rules in their list, by mouse or by keys; what a move would change is said before it counts.
 *
 * @param steps what stands in the list: a rule, or two that belong together
 * @param send sends an edit, as `useDraft` of the page does
 * @param tell says what was done
 */
export function useRuleOrder(
  steps: Readonly<Ref<ReturnType<typeof ruleSteps>>>,
  send: ReturnType<typeof useDraft>['send'],
  tell: ReturnType<typeof useDraft>['tell'],
) {
  const draft = useDraftPolicy()
  /**
   * The rule that is being moved and the place that it would get, counted from 0; what that would change is
   * worked out before it counts.
   */
  const moving = ref<{ id: string; to: number } | null>(null)
  const order = computed(() => {
    const step = steps.value.find(([{ id }]) => id === moving.value?.id)
    return (
      step &&
      steps.value
        .filter((other) => other !== step)
        .toSpliced(moving.value!.to, 0, step)
        .flat()
    )
  })
  const { changes } = useChanges(() =>
    order.value && order.value.some(({ id }, index) => id !== draft.policy.rules[index]!.id)
      ? { before: draft.policy, after: { ...draft.policy, rules: order.value } }
      : null,
  )
  const words = computed(() => {
    if (!moving.value) return ''
    const rule = draft.policy.rules.find(({ id }) => id === moving.value!.id)!
    return rulesText.becomesRule(rule.name, order.value!.indexOf(rule) + 1, effectWords(changes.value ?? []))
  })
  async function settle() {
    const ids = order.value?.map(({ id }) => id)
    moving.value = null
    if (!ids || ids.every((id, index) => id === draft.policy.rules[index]!.id)) return
    const made = await send<{ step: number | null }>(
      'PUT',
      '/api/rules/order',
      { ids },
      orderMark(draft.policy),
    )
    if (made) tell(rulesText.orderChanged, made.step)
  }
  /** Alt with an arrow moves a rule, Enter drops it, Escape leaves it where it was. */
  function onKey(event: KeyboardEvent, id: string, index: number) {
    const at = moving.value?.id === id ? moving.value.to : index
    if (event.altKey && (event.key === 'ArrowUp' || event.key === 'ArrowDown'))
      moving.value = {
        id,
        to: Math.min(Math.max(at + (event.key === 'ArrowUp' ? -1 : 1), 0), steps.value.length - 1),
      }
    else if (moving.value && event.key === 'Enter') void settle()
    else if (moving.value && event.key === 'Escape') moving.value = null
    else return
    event.preventDefault()
  }

  return { moving, words, settle, onKey }
}
