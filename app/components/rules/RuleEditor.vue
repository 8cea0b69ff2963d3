<script setup lang="ts">
import { proxyRefs, ref } from 'vue'
import { versionTag } from '../../../core/policy/canonical.ts'
import type { RuleEdits } from '../../../protocol/edits.ts'
import type { Rule } from '../../../core/policy/types.ts'
import { ruleForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useRuleForm } from '../../composables/useRuleForm.ts'
import ActButton from '../common/ActButton.vue'
import ServiceField from '../common/ServiceField.vue'
import EditorActs from '../common/EditorActs.vue'
import AllowanceField from './AllowanceField.vue'
import KeywordCatches from './KeywordCatches.vue'
import RulePicture from './RulePicture.vue'
import WordField from './WordField.vue'
import type { MadeKind } from '../../model/rule-form.ts'
import ManyField from '../common/ManyField.vue'
import TextField from '../common/TextField.vue'
import SelectField from '../common/SelectField.vue'
import { rulesText } from '../../text/rules.ts'

/**
 * A rule as a sentence whose parts are edited in place; with its `partner`, a rule right after it that closes
 * the rest, it says "only what is listed".
 */
const props = defineProps<{ rule: Rule; partner?: Rule; isNew: boolean }>()
const emit = defineEmits<{ done: [] }>()
/** The dialog that makes an entry which the rule needs: `made` chooses it. */
defineSlots<{
  maker?: (scope: {
    making: MadeKind | null
    close: () => void
    made: (kind: MadeKind, id: string) => void
  }) => unknown
}>()
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
/** The rule as it was when the editor opened: another window may change it meanwhile. */
const [was, partner] = [props.rule, props.partner]
// Not deeply reactive: what a worker takes has to be plain.
const fields = proxyRefs(useRuleForm(was, partner))
/** The kind of the entry that is made for the rule; once made, it is chosen. */
const making = ref<MadeKind | null>(null)
function made(kind: MadeKind, id: string) {
  if (kind === 'group') fields.named = [...fields.named, `group:${id}`]
  if (kind === 'list') fields.covered = [...fields.covered, `list:${id}`]
  if (kind === 'schedule') fields.schedules = [...fields.schedules, id]
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
  if (await send({ edits: fields.edits.map((rule) => marked(rule, true)), takeOut: fields.removed }))
    emit('done')
}
/** A copy stands behind the rule, which stays as it was kept. */
async function copy() {
  const last = partner ?? was
  const copies = fields.edits.map((rule) => ({
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
    :state="fields.form"
    :schema="ruleForm"
    :validate-on="[]"
    class="leaf editor"
    @submit="save"
    @error="refuse"
  >
    <div class="top">
      <UFormField :label="rulesText.name" name="name" class="name"
        ><UInput
          v-model="fields.name"
          class="w-full"
          maxlength="200"
          :placeholder="rulesText.nameExample"
          :ui="{ base: 'text-base font-semibold' }"
      /></UFormField>
      <UFormField :label="rulesText.status"
        ><SelectField v-model="fields.status" :label="rulesText.status" :items="STATUSES"
      /></UFormField>
    </div>
    <div class="sentence">
      <ManyField
        v-model="fields.named"
        :label="rulesText.appliesTo"
        :items="fields.people"
        :placeholder="rulesText.whoQuestion"
        :making="rulesText.newGroup"
        class="min-w-44"
        @make="making = 'group'"
      />
      <span>{{ rulesText.exceptWord }}</span>
      <ManyField
        v-model="fields.except"
        :label="rulesText.except"
        :items="fields.exceptable"
        :placeholder="rulesText.nobody"
        class="min-w-28"
      />
      <SelectField v-model="fields.effect" :label="rulesText.mayOrMayNot" :items="EFFECTS" />
      <span v-if="fields.effect === 'only'">{{ rulesText.these }}</span>
      <SelectField v-else v-model="fields.internet" :label="rulesText.allOrSome" :items="REACHES" />
      <ManyField
        v-if="!fields.internet"
        v-model="fields.covered"
        :label="rulesText.covers"
        :items="fields.closable"
        :placeholder="rulesText.listsAppsCategories"
        :making="rulesText.newSiteList"
        class="min-w-44"
        @make="making = 'list'"
      />
      <SelectField v-model="fields.timing" :label="rulesText.when" :items="TIMINGS" />
      <ManyField
        v-if="fields.timing === 'during' || fields.timing === 'outside'"
        v-model="fields.schedules"
        :label="rulesText.schedules"
        :items="fields.hours"
        :placeholder="rulesText.whichSchedule"
        :making="rulesText.newSchedule"
        class="min-w-44"
        @make="making = 'schedule'"
      />
      <template v-if="fields.timing === 'once'">
        <UInput v-model="fields.once.from" type="datetime-local" :aria-label="rulesText.from" required />
        {{ ' ' }}
        <span>{{ rulesText.untilWord }}</span>
        {{ ' ' }}
        <UInput v-model="fields.once.until" type="datetime-local" :aria-label="rulesText.until" required />
      </template>
      <AllowanceField v-if="fields.mayHaveAllowance" v-model="fields.allowance" />
    </div>
    <div v-if="!fields.internet" class="line">
      <WordField
        v-model="fields.words.sites"
        kind="sites"
        :label="rulesText.sites"
        :placeholder="rulesText.sitesExample"
      />
      <WordField
        v-model="fields.words.keywords"
        kind="keywords"
        :label="rulesText.namesThatContain"
        :placeholder="rulesText.keywordExample"
      />
      <KeywordCatches v-if="fields.words.keywords.length > 0" :keywords="fields.words.keywords" />
      <fieldset>
        <legend>{{ rulesText.services }}</legend>
        <ServiceField v-model="fields.words.services" />
      </fieldset>
    </div>
    <RulePicture v-if="fields.isComplete" :edits="fields.edits" :take-out="fields.removed" />
    <div class="line">
      <TextField v-model="fields.note" :label="rulesText.note" name="note" class="note" />
      <ActButton v-if="!isNew" :disabled="busy || fields.missing !== ''" @click="copy">{{
        rulesText.duplicate
      }}</ActButton>
    </div>
    <p class="trouble" role="alert">{{ trouble }}</p>
    <EditorActs
      :form="fields.edits"
      :is-new="isNew"
      :busy="busy"
      :blocked="fields.missing !== ''"
      :missing="fields.missing"
      @close="emit('done')"
      @remove="drop"
    />
    <slot name="maker" :making="making" :close="() => (making = null)" :made="made" />
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
.line {
  display: flex;
  gap: 10px 16px;
  align-items: end;
  margin-top: 14px;
  flex-wrap: wrap;
}
.trouble {
  min-height: 19px;
}
</style>
