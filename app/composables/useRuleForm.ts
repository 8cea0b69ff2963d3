import { computed, ref, watch } from 'vue'
import type { Rule } from '../../core/policy/types.ts'
import {
  allowanceFields,
  allowanceOf,
  NEW_RULE,
  timingOf,
  whatChoices,
  whatOf,
  whatValues,
  whenOf,
  whoChoices,
  whoOf,
  whoValues,
} from '../model/rule-form.ts'
import { useDraftPolicy } from '../stores/draft.ts'
import { rulesText } from '../text/rules.ts'

/**
 * The fields of a rule as they are edited, and the rules that they say.
 *
 * @param was the rule as it was when the editor opened: another window may change it meanwhile
 * @param partner a rule right after it that blocks the rest: together they say "only what is listed"
 */
export function useRuleForm(was: Rule, partner?: Rule) {
  const draft = useDraftPolicy()
  const { who, what, when } = was
  const name = ref(was.name)
  const effect = ref<'block' | 'allow' | 'only'>(partner ? 'only' : was.effect)
  /** Whether a rule counts: in earnest, only in what is logged of it, or not at all. */
  const statusOf = ({ enabled, logOnly }: Rule) => {
    if (!enabled) return 'off'
    return logOnly ? 'log' : 'on'
  }
  const status = ref<'on' | 'log' | 'off'>(statusOf(was))
  const statusFields = computed(() => ({ enabled: status.value !== 'off', logOnly: status.value === 'log' }))
  const named = ref(whoValues(who).named)
  const except = ref(whoValues(who).except)
  const internet = ref(what.internet)
  watch(effect, (now) => {
    if (now === 'only') internet.value = false
  })
  const covered = ref(whatValues(what))
  const timing = ref(timingOf(when))
  const schedules = ref('schedules' in when ? [...when.schedules] : [])
  const allowance = ref(allowanceFields(was.after))
  /** Whether the rule can have an allowance. */
  const mayHaveAllowance = computed(
    () => effect.value === 'block' && internet.value && status.value !== 'log',
  )
  const once = ref('from' in when ? { ...when } : { from: '', until: '' })

  const people = computed(() => whoChoices(draft.policy))
  const exceptable = computed(() => people.value.filter((choice) => choice.kind !== ''))
  const closable = computed(() => whatChoices(draft.policy))
  const hours = computed(() => draft.policy.schedules.map(({ id, name }) => ({ value: id, label: name })))
  const words = ref({ sites: what.sites, keywords: what.keywords, services: what.services })
  const note = ref(was.note)
  const typed = computed(() => Object.values(words.value).some((list) => list.length > 0))
  const missing = computed(() => {
    if (named.value.length === 0) return rulesText.chooseWho
    if (!internet.value && covered.value.length === 0 && !typed.value) return rulesText.chooseWhat
    if ((timing.value === 'during' || timing.value === 'outside') && schedules.value.length === 0)
      return rulesText.chooseASchedule
    return name.value.trim() === '' ? rulesText.enterAName : ''
  })

  /** The rule as it stands in the editor, as plain data that a worker can take. */
  const edited = computed((): Rule => {
    const { sites, keywords, services } = words.value
    return {
      id: was.id,
      name: name.value,
      ...statusFields.value,
      effect: effect.value === 'block' ? 'block' : 'allow',
      note: note.value,
      who: whoOf(named.value, except.value),
      what: whatOf(internet.value, covered.value, {
        ...what,
        sites: [...sites],
        keywords: [...keywords],
        services: [...services],
      }),
      when: whenOf(timing.value, [...schedules.value], { ...once.value }),
      after: mayHaveAllowance.value ? allowanceOf({ ...allowance.value }) : null,
    }
  })
  /** The rule as the server takes it, without its id. */
  const form = computed(() => {
    const { id: _id, ...rest } = edited.value
    return rest
  })
  /** The rules to save: the rule, and behind it the one that blocks the rest. */
  const edits = computed((): Rule[] =>
    effect.value !== 'only'
      ? [edited.value]
      : [
          edited.value,
          {
            ...NEW_RULE,
            id: partner?.id ?? '',
            name: partner?.name ?? rulesText.nothingElse(name.value),
            note: partner?.note ?? '',
            ...statusFields.value,
            who: edited.value.who,
            when: edited.value.when,
          },
        ],
  )
  const removed = computed(() => (partner && effect.value !== 'only' ? [partner.id] : []))
  /** Whether its parts say enough for a picture. */
  const isComplete = computed(
    () => timing.value !== 'once' || (once.value.from !== '' && once.value.until > once.value.from),
  )

  return {
    name,
    effect,
    status,
    named,
    except,
    internet,
    covered,
    timing,
    schedules,
    allowance,
    mayHaveAllowance,
    once,
    people,
    exceptable,
    closable,
    hours,
    words,
    note,
    missing,
    form,
    edits,
    removed,
    isComplete,
  }
}
