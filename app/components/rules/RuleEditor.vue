<script setup lang="ts">
import { ref } from 'vue'
import { versionTag } from '../../../core/policy/canonical.ts'
import type { RuleEdits } from '../../../protocol/edits.ts'
import type { Rule } from '../../../core/policy/types.ts'
import { ruleForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useRuleForm } from '../../composables/useRuleForm.ts'
import ServiceField from '../sites/ServiceField.vue'
import EditorActs from '../shell/EditorActs.vue'
import KeywordCatches from './KeywordCatches.vue'
import RulePicture from './RulePicture.vue'
import WordField from './WordField.vue'
import type { MadeKind } from '../../model/rule-form.ts'
import SelectField from '../shell/SelectField.vue'
import MakeEntry from './MakeEntry.vue'
import { rulesText } from '../../text/rules.ts'

/**
 * A rule as a sentence whose parts are edited in place; with its `partner`, a rule right after it that closes
 * the rest, it says "only what is listed".
 */
const props = defineProps<{ rule: Rule; partner?: Rule; isNew: boolean }>()
const emit = defineEmits<{ done: [] }>()
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
const {
  name,
  effect,
  status,
  named,
  except,
  internet,
  covered,
  timing,
  schedules,
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
} = useRuleForm(was, partner)
/** What the rule needs and is not there yet is made from here, and then chosen. */
const making = ref<MadeKind | null>(null)
function made(kind: MadeKind, id: string) {
  if (kind === 'group') named.value = [...named.value, `group:${id}`]
  if (kind === 'list') covered.value = [...covered.value, `list:${id}`]
  if (kind === 'schedule') schedules.value = [...schedules.value, id]
}
async function send(body: RuleEdits) {
  return await call<{ step: number | null }>('POST', '/api/rules/many', body)
}
const marked = (rule: Rule, mark: boolean) => {
  const { id, ...form } = rule
  const before = [was, partner].find((one) => one?.id === id)
  return { id: id || null, rule: form, mark: mark && before ? versionTag(before) : null }
}
async function save() {
  if (await send({ edits: edits.value.map((rule) => marked(rule, true)), takeOut: removed.value }))
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
    @submit="save"
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
        ><SelectField v-model="status" :label="rulesText.status" :items="STATUSES"
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
          v-model="covered"
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
    <RulePicture v-if="isComplete" :edits="edits" :take-out="removed" />
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
