<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { versionTag } from '../../../core/policy/canonical.ts'
import type { RuleEdits } from '../../../protocol/edits.ts'
import type { Rule } from '../../../core/policy/types.ts'
import { ruleForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import ServiceField from '../sites/ServiceField.vue'
import EditorActs from '../shell/EditorActs.vue'
import KeywordCatches from './KeywordCatches.vue'
import RulePicture from './RulePicture.vue'
import WordField from './WordField.vue'
import {
  NEW_RULE,
  type MadeKind,
  timingOf,
  whatChoices,
  whatOf,
  whatValues,
  whenOf,
  whoChoices,
  whoOf,
  whoValues,
} from '../../model/rule-form.ts'
import SelectField from '../shell/SelectField.vue'
import MakeEntry from './MakeEntry.vue'
import { rulesText } from '../../text/rules.ts'

/**
 * A rule as a sentence whose parts are edited in place; with its `partner`, a rule right after it that closes
 * the rest, it says "only what is listed".
 */
const props = defineProps<{ rule: Rule; partner?: Rule; isNew: boolean }>()
const emit = defineEmits<{ done: [] }>()
const draft = useDraftPolicy()
const { busy, trouble, refuse, send: call, tell } = useDraft()

const STATUSES = [
  { value: 'on', label: rulesText.on },
  { value: 'log', label: rulesText.logOnlyBlocksNothing },
  { value: 'off', label: rulesText.off },
] as const
const EFFECTS = [
  { value: 'block', label: rulesText.mayNotReach },
  { value: 'allow', label: rulesText.mayReach },
  { value: 'only', label: rulesText.mayReachOnly },
] as const
const REACHES = [
  { value: true, label: rulesText.theInternet },
  { value: false, label: rulesText.someSitesAndApps },
]
const TIMINGS = [
  { value: 'always', label: rulesText.always },
  { value: 'during', label: rulesText.during },
  { value: 'outside', label: rulesText.outside },
  { value: 'once', label: rulesText.onceFrom },
] as const
/** Menus are as wide as their longest entry, not as the field. */
const WIDE = { content: 'w-auto min-w-56' }
/** The rule as it was when the editor opened: another window may change it meanwhile. */
const [was, partner] = [props.rule, props.partner]
const { who, what, when } = was
const name = ref(props.rule.name)
const effect = ref<'block' | 'allow' | 'only'>(partner ? 'only' : was.effect)
/** Whether it counts: in earnest, only in what is kept of it, or not at all. */
const statusOf = ({ enabled, logOnly }: Rule) => {
  if (!enabled) return 'off'
  return logOnly ? 'log' : 'on'
}
const counts = ref<'on' | 'log' | 'off'>(statusOf(was))
const counting = computed(() => ({ enabled: counts.value !== 'off', logOnly: counts.value === 'log' }))
const named = ref(whoValues(who).named)
const except = ref(whoValues(who).except)
const internet = ref(what.internet)
watch(effect, (now) => {
  if (now === 'only') internet.value = false
})
const closed = ref(whatValues(what))
const timing = ref(timingOf(when))
const schedules = ref('schedules' in when ? [...when.schedules] : [])
const once = ref('from' in when ? { ...when } : { from: '', until: '' })

const people = computed(() => whoChoices(draft.policy))
const exceptable = computed(() => people.value.filter((choice) => choice.kind !== ''))
const closable = computed(() => whatChoices(draft.policy))
const hours = computed(() => draft.policy.schedules.map(({ id, name }) => ({ value: id, label: name })))
/** What the rule needs and is not there yet is made from here, and then chosen. */
const making = ref<MadeKind | null>(null)
function made(kind: MadeKind, id: string) {
  if (kind === 'group') named.value = [...named.value, `group:${id}`]
  if (kind === 'list') closed.value = [...closed.value, `list:${id}`]
  if (kind === 'schedule') schedules.value = [...schedules.value, id]
}
const words = ref({ sites: what.sites, keywords: what.keywords, services: what.services })
const note = ref(was.note)
const typed = computed(() => Object.values(words.value).some((list) => list.length > 0))
const missing = computed(() => {
  if (named.value.length === 0) return rulesText.chooseWho
  if (!internet.value && closed.value.length === 0 && !typed.value) return rulesText.chooseWhat
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
    ...counting.value,
    effect: effect.value === 'block' ? 'block' : 'allow',
    note: note.value,
    who: whoOf(named.value, except.value),
    what: whatOf(internet.value, closed.value, {
      ...what,
      sites: [...sites],
      keywords: [...keywords],
      services: [...services],
    }),
    when: whenOf(timing.value, [...schedules.value], { ...once.value }),
  }
})
/** The rule as the server takes it, without its id. */
const form = computed(() => {
  const { id: _id, ...rest } = edited.value
  return rest
})
/** What is kept: the rule, and behind it the one that closes the rest. */
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
          ...counting.value,
          who: edited.value.who,
          when: edited.value.when,
        },
      ],
)
const takeOut = computed(() => (partner && effect.value !== 'only' ? [partner.id] : []))
/** Whether its parts say enough for a picture. */
const whole = computed(
  () => timing.value !== 'once' || (once.value.from !== '' && once.value.until > once.value.from),
)

async function send(body: RuleEdits) {
  return await call<{ step: number | null }>('POST', '/api/rules/many', body)
}
const marked = (rule: Rule, mark: boolean) => {
  const { id, ...form } = rule
  const before = [was, partner].find((one) => one?.id === id)
  return { id: id || null, rule: form, mark: mark && before ? versionTag(before) : null }
}
async function keep() {
  if (await send({ edits: edits.value.map((rule) => marked(rule, true)), takeOut: takeOut.value }))
    emit('done')
}
/** A copy stands behind the rule, which stays as it was kept. */
async function copy() {
  const last = partner ?? was
  const copies = edits.value.map((rule) => ({
    ...marked({ ...rule, id: '', name: rulesText.copyOf(rule.name) }, false),
  }))
  const made = await send({ edits: [marked(last, true), ...copies], takeOut: [] })
  if (made) emit('done')
}
async function drop() {
  const made = await send({ edits: [], takeOut: [was.id, ...(partner ? [partner.id] : [])] })
  if (!made) return
  tell(rulesText.deleted(was.name), made.step)
  emit('done')
}
</script>

<template>
  <UForm
    :state="form"
    :schema="ruleForm"
    :validate-on="[]"
    class="leaf editor"
    @submit="keep"
    @error="refuse"
  >
    <div class="top">
      <UFormField :label="rulesText.name" name="name" class="name"
        ><UInput
          v-model="name"
          class="w-full"
          maxlength="200"
          :placeholder="rulesText.nameExample"
          :ui="{ base: 'text-base font-semibold' }"
      /></UFormField>
      <UFormField :label="rulesText.status"
        ><SelectField v-model="counts" :label="rulesText.status" :items="STATUSES"
      /></UFormField>
    </div>
    <div class="sentence">
      <USelectMenu
        v-model="named"
        multiple
        value-key="value"
        :items="people"
        :placeholder="rulesText.whoQuestion"
        :aria-label="rulesText.appliesTo"
        class="min-w-44 max-w-80"
        :ui="WIDE"
        ><template #content-bottom
          ><UButton block variant="ghost" icon="i-lucide-plus" @click="making = 'group'">{{
            rulesText.newGroup
          }}</UButton></template
        ></USelectMenu
      >
      <span>{{ rulesText.exceptWord }}</span>
      <USelectMenu
        v-model="except"
        multiple
        value-key="value"
        :items="exceptable"
        :placeholder="rulesText.nobody"
        :aria-label="rulesText.except"
        class="min-w-28 max-w-80"
        :ui="WIDE"
      />
      <SelectField v-model="effect" :label="rulesText.mayOrMayNot" :items="EFFECTS" />
      <span v-if="effect === 'only'">{{ rulesText.these }}</span>
      <SelectField v-else v-model="internet" :label="rulesText.allOrSome" :items="REACHES" />
      <template v-if="!internet">
        <USelectMenu
          v-model="closed"
          multiple
          value-key="value"
          :items="closable"
          :placeholder="rulesText.listsAppsCategories"
          :aria-label="rulesText.covers"
          class="min-w-44 max-w-80"
          :ui="WIDE"
          ><template #content-bottom
            ><UButton block variant="ghost" icon="i-lucide-plus" @click="making = 'list'">{{
              rulesText.newSiteList
            }}</UButton></template
          ></USelectMenu
        >
      </template>
      <SelectField v-model="timing" :label="rulesText.when" :items="TIMINGS" />
      <USelectMenu
        v-if="timing === 'during' || timing === 'outside'"
        v-model="schedules"
        multiple
        value-key="value"
        :items="hours"
        :placeholder="rulesText.whichSchedule"
        :aria-label="rulesText.schedules"
        class="min-w-44 max-w-80"
        :ui="WIDE"
        ><template #content-bottom
          ><UButton block variant="ghost" icon="i-lucide-plus" @click="making = 'schedule'">{{
            rulesText.newSchedule
          }}</UButton></template
        ></USelectMenu
      >
      <template v-if="timing === 'once'">
        <UInput v-model="once.from" type="datetime-local" :aria-label="rulesText.from" required />
        {{ ' ' }}
        <span>{{ rulesText.untilWord }}</span>
        {{ ' ' }}
        <UInput v-model="once.until" type="datetime-local" :aria-label="rulesText.until" required />
      </template>
    </div>
    <div v-if="!internet" class="line">
      <WordField
        v-model="words.sites"
        kind="sites"
        :label="rulesText.sites"
        :placeholder="rulesText.sitesExample"
      />
      <WordField
        v-model="words.keywords"
        kind="keywords"
        :label="rulesText.namesThatContain"
        :placeholder="rulesText.keywordExample"
      />
      <KeywordCatches v-if="words.keywords.length > 0" :keywords="words.keywords" />
      <fieldset>
        <legend>{{ rulesText.services }}</legend>
        <ServiceField v-model="words.services" />
      </fieldset>
    </div>
    <RulePicture v-if="whole" :edits="edits" :take-out="takeOut" />
    <div class="line">
      <UFormField :label="rulesText.note" name="note" class="note"
        ><UInput v-model="note" class="w-full" maxlength="500"
      /></UFormField>
      <UButton v-if="!isNew" :disabled="busy || missing !== ''" @click="copy">{{
        rulesText.duplicate
      }}</UButton>
    </div>
    <p class="trouble" role="alert">{{ trouble }}</p>
    <EditorActs
      :form="edits"
      :is-new="isNew"
      :busy="busy"
      :blocked="missing !== ''"
      :missing="missing"
      @close="emit('done')"
      @remove="drop"
    />
    <MakeEntry v-model="making" @made="made" />
  </UForm>
</template>

<style scoped>
.top {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 16px;
  margin-bottom: 12px;
}
.name {
  flex: 1 1 260px;
}
.sentence {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 10px;
  align-items: center;
  font-size: 15px;
}
.note {
  flex: 1 1 200px;
}
fieldset {
  flex-basis: 100%;
}
legend {
  font-size: 13px;
  color: var(--soft);
  margin-bottom: 4px;
}
.line {
  display: flex;
  gap: 10px 16px;
  align-items: end;
  margin-top: 14px;
  flex-wrap: wrap;
}
label {
  display: flex;
  flex-direction: column;
  gap: 3px;
  font-size: 13px;
  color: var(--soft);
}
.trouble {
  color: var(--danger);
  min-height: 19px;
}
</style>
