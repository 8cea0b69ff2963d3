<script setup lang="ts">
import { computed, ref } from 'vue'
import { versionTag } from '../../../core/policy/canonical.ts'
import type { RuleEdits } from '../../../protocol/edits.ts'
import type { Rule } from '../../../core/policy/types.ts'
import { ruleSteps } from '../../../core/policy/pair.ts'
import { covers } from '../../../core/time/ranges.ts'
import type { PolicyFinding } from '../../../core/findings/rules.ts'
import { compiledOf } from '../../../core/decision/compile.ts'
import { partsFor } from '../../../core/decision/trace.ts'
import { decides, timesWithin } from '../../../core/decision/candidate.ts'
import { DAY, startOfMinute } from '../../../core/time/duration.ts'
import ActButton from '../../components/common/ActButton.vue'
import SelectField from '../../components/common/SelectField.vue'
import FindingList from '../../components/findings/FindingList.vue'
import MakeEntry from '../../components/shell/MakeEntry.vue'
import RuleEditor from '../../components/rules/RuleEditor.vue'
import RuleSentence from '../../components/common/RuleSentence.vue'
import WeekStrip from '../../components/rules/WeekStrip.vue'
import { NEW_RULE } from '../../model/rule-form.ts'
import { useDecided } from '../../composables/useDecider.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useRuleOrder } from '../../composables/useRuleOrder.ts'
import { addressOf, useOpened } from '../../composables/useOpened.ts'
import { policyFindingBrief } from '../../text/finding.ts'
import { useBoard } from '../../stores/board.ts'
import { useFindings } from '../../stores/findings.ts'
import { useMoment } from '../../stores/moment.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { usePlace } from '../../stores/place.ts'
import { whenWords } from '../../text/time.ts'
import EntryHead from '../../components/common/EntryHead.vue'
import { rulesText } from '../../text/rules.ts'
import MarkedText from '../../components/common/MarkedText.vue'

definePageMeta({ key: 'rules' })
useHead({ title: rulesText.pageTitle })
const [draft, place, board, moment, findings] = [
  useDraftPolicy(),
  usePlace(),
  useBoard(),
  useMoment(),
  useFindings(),
]
const { busy, trouble, send, tell } = useDraft()
const opened = useOpened('/rules')
const chosen = opened.entry
/**
 * A rule that is begun: for nobody yet, for a device ("device:press-laptop"), or for what a list has
 * ("list:shops").
 */
const begun = computed(() => {
  if (opened.begun.value === null) return null
  const [kind, ...ids] = opened.begun.value.split(':')
  const all = ids.join(':').split(',')
  if (kind === 'devices') return { ...NEW_RULE, who: { ...NEW_RULE.who, devices: all } }
  return kind === 'list'
    ? { ...NEW_RULE, what: { ...NEW_RULE.what, internet: false, siteLists: all } }
    : NEW_RULE
})
/** The rule that is edited, whichever of two that belong together is named. */
const edited = computed(() =>
  rows.value.find(({ rule, partner }) => rule.id === chosen.value || partner?.id === chosen.value),
)
/** The rule in the editor: one that is begun, or the one of the address. */
const shown = computed(() => {
  if (begun.value) return { key: opened.begun.value!, rule: begun.value, partner: undefined }
  return edited.value && { key: edited.value.rule.id, ...edited.value }
})
const where = computed(() =>
  begun.value
    ? rulesText.newRuleCrumb
    : edited.value && rulesText.ruleOf(edited.value.numbers, draft.policy.rules.length),
)
const minute = computed(() => startOfMinute(moment.at))
const times = computed(() =>
  timesWithin(
    draft.policy,
    Math.min(board.week.from, minute.value),
    Math.max(board.week.until, minute.value + 8 * DAY),
  ),
)
/** The rows of the list: a rule, or two that together say "only what is listed". */
const steps = computed(() => ruleSteps(draft.policy.rules))
const weeks = useDecided(() => ({
  kind: 'metWeeks' as const,
  policy: draft.policy,
  from: board.week.from,
  until: board.week.until,
}))
const weekOf = computed(() => new Map(weeks.value?.map((week) => [week.rule, week])))
type SharedFinding = Extract<PolicyFinding, { kind: 'slips-by-service' }>
/** A warning about many rules is shown once, above them. */
const isShared = (finding: PolicyFinding): finding is SharedFinding =>
  finding.kind === 'slips-by-service' && finding.rules.length > 1
const bypassed = computed(() => {
  const shared = [...findings.about.values()].flat().filter(isShared)
  const ids = new Set(shared.flatMap(({ rules }) => rules))
  return draft.policy.rules.flatMap(({ id }, index) => (ids.has(id) ? [String(index + 1)] : []))
})
const rows = computed(() =>
  steps.value.map(([rule, partner], index) => {
    const number = steps.value.slice(0, index).reduce((sum, step) => sum + step.length, 1)
    const ranges = times.value(rule.when)
    const inForce = decides(rule) && covers(ranges, moment.at)
    const next = ranges.find((range) => range.from > moment.at)?.from
    const briefs = [rule, ...(partner ? [partner] : [])]
      .flatMap(({ id }) => findings.about.get(`rule:${id}`) ?? [])
      .filter((finding) => !isShared(finding))
      .map((finding) => policyFindingBrief(finding, draft.policy))
    let words
    if (!rule.enabled) words = rulesText.offNow
    else if (rule.logOnly) words = rulesText.logOnly
    else if (inForce) words = rule.after ? rulesText.counting : rulesText.active
    else if (next === undefined) words = rulesText.notInTheComingWeek
    else words = rulesText.fromWhen(whenWords(next, moment.at, place.zone))
    return {
      rule,
      partner,
      index,
      numbers: partner ? `${number}, ${number + 1}` : String(number),
      name: partner ? rulesText.bothNames(rule.name, partner.name) : rule.name,
      count: partner ? 2 : 1,
      ranges,
      inForce,
      words,
      briefs,
    }
  }),
)
/** The group, by its id, whose rules are shown; '' = all are. */
const whose = ref('')
const groups = computed(() => [
  { value: '', label: rulesText.everybodys },
  ...draft.policy.groups
    .toSorted((a, b) => Number(b.person) - Number(a.person))
    .map(({ id, name }) => ({ value: id, label: name })),
])
/** The part of each rule at the moment for the devices of the chosen group; `null` = all are shown. */
const parts = computed(() => {
  const group = draft.policy.groups.find(({ id }) => id === whose.value)
  return group ? partsFor(compiledOf(draft.policy), group.members, minute.value) : null
})
const shownRows = computed(() =>
  rows.value.filter(
    ({ rule, partner }) =>
      !parts.value || parts.value.has(rule.id) || (partner !== undefined && parts.value.has(partner.id)),
  ),
)
const rulesIn = (some: typeof rows.value) => some.reduce((sum, row) => sum + row.count, 0)
const partWords = ({ rule, partner }: (typeof rows.value)[number]) =>
  rulesText.parts[parts.value?.get(partner?.id ?? '') ?? parts.value?.get(rule.id) ?? 'none']
const { moving, words: orderWords, settle, onKey } = useRuleOrder(steps, send, tell)
/** Turns a rule on or off, or both of two that belong together. */
async function turn({ rule, partner, name }: { rule: Rule; partner?: Rule; name: string }, enabled: boolean) {
  const edits = [rule, ...(partner ? [partner] : [])].map(({ id, ...form }) => ({
    id,
    rule: { ...form, enabled },
    mark: versionTag({ id, ...form }),
  }))
  const made = await send<{ step: number | null }>('POST', '/api/rules/many', {
    edits,
    takeOut: [],
  } satisfies RuleEdits)
  if (made) tell(rulesText.turnedInDraft(name, enabled), made.step)
}
const count = computed(() => rulesIn(rows.value.filter((row) => row.inForce)))
</script>

<template>
  <section :aria-label="rulesText.rules">
    <EntryHead
      v-if="begun || chosen !== null"
      :all="rulesText.allRules"
      to="/rules"
      :where="where"
      :missing="!begun && !edited"
    />
    <RuleEditor
      v-if="shown"
      :key="shown.key"
      :rule="shown.rule"
      :partner="shown.partner"
      :is-new="begun !== null"
      @done="opened.close"
    >
      <template #maker="{ making, close, made }">
        <MakeEntry :making="making" @close="close" @made="made" />
      </template>
    </RuleEditor>
    <div class="head">
      <h1><MarkedText :text="rulesText.activeRules(moment.isNow, count, draft.policy.rules.length)" /></h1>
      <ActButton @click="opened.begin()">{{ rulesText.newRule }}</ActButton>
    </div>
    <p class="soft">
      {{ rulesText.firstMatchDecides }} <span id="order-help" class="keys">{{ rulesText.howToMove }}</span>
    </p>
    <p v-if="groups.length > 1" class="whose">
      <SelectField v-model="whose" :label="rulesText.whoseRules" :items="groups" />
      <span v-if="parts" class="soft" role="status">{{
        rulesText.ofAll(rulesIn(shownRows), draft.policy.rules.length)
      }}</span>
    </p>
    <FindingList />
    <p v-if="bypassed.length > 0" class="finding shared">{{ rulesText.bypassedRules(bypassed) }}</p>
    <p v-if="moving" class="leaf moving" role="status">
      {{ orderWords }} <span class="soft keys">{{ rulesText.howToDrop }}</span>
      <span class="acts">
        <ActButton :disabled="moving.to === 0" @click="moving.to--">{{ rulesText.up }}</ActButton>
        <ActButton :disabled="moving.to === rows.length - 1" @click="moving.to++">{{
          rulesText.down
        }}</ActButton>
        <ActButton color="primary" variant="solid" @click="settle">{{ rulesText.putHere }}</ActButton>
        <ActButton variant="ghost" @click="moving = null">{{ rulesText.cancel }}</ActButton>
      </span>
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="rows.length === 0 && !begun" class="empty">{{ rulesText.noRulesYet }}</p>
    <ol>
      <li
        v-for="row in shownRows"
        :key="row.rule.id"
        :class="{
          resting: !row.inForce,
          target: moving && moving.to === row.index && moving.id !== row.rule.id,
          below: moving && row.index > rows.findIndex(({ rule }) => rule.id === moving!.id),
        }"
        @dragover.prevent="moving && (moving = { id: moving.id, to: row.index })"
        @drop.prevent="settle"
      >
        <USwitch
          class="switch"
          size="lg"
          :model-value="row.rule.enabled"
          :disabled="busy"
          :aria-label="rulesText.switchOf(row.name)"
          @update:model-value="(isOn) => turn(row, isOn)"
        />
        <NuxtLink
          :to="addressOf('/rules', row.rule.id)"
          class="row"
          draggable="true"
          aria-describedby="order-help"
          :class="{ chosen: row === edited }"
          :aria-current="row === edited"
          @dragstart="moving = { id: row.rule.id, to: row.index }"
          @dragend="moving = null"
          @keydown="onKey($event, row.rule.id, row.index)"
        >
          <span class="number display">{{ row.numbers }}</span>
          <span class="text"
            ><span class="name"
              ><b>{{ row.name }}</b
              ><span class="soft"> · {{ row.words }}{{ partWords(row) }}</span></span
            ><RuleSentence :rule="row.rule" :policy="draft.policy" :only="row.partner !== undefined" /><small
              v-if="row.briefs.length > 0"
              class="finding"
              >{{ row.briefs.join('; ') }}</small
            ></span
          >
          <WeekStrip
            :week="weekOf.get(row.rule.id)"
            :ranges="decides(row.rule) ? row.ranges : []"
            :from="board.week.from"
            :until="board.week.until"
            :at="moment.at"
            class="strip"
          />
        </NuxtLink>
        <ActButton
          variant="ghost"
          class="handle"
          icon="i-lucide-move-vertical"
          :aria-label="rulesText.move(row.name)"
          @click="moving = { id: row.rule.id, to: row.index }"
        />
      </li>
    </ol>
  </section>
</template>

<style scoped>
.empty {
  margin-top: 16px;
}
.moving {
  position: sticky;
  top: 150px;
  z-index: 3;
  padding: 8px 14px;
  margin-top: 10px;
  border-left: 4px solid var(--ink);
}
li.target {
  box-shadow: inset 0 2px var(--ink);
}
li.target.below {
  box-shadow: inset 0 -2px var(--ink);
}
ol {
  margin-top: 14px;
  border-top: 1px solid var(--hair);
}
li {
  border-bottom: 1px solid var(--hair);
  display: grid;
  grid-template-columns: 46px minmax(0, 1fr) 40px;
  align-items: center;
}
.row {
  display: grid;
  grid-template-columns: 34px minmax(0, 1fr) 260px;
  gap: 14px;
  width: 100%;
  padding: 10px 8px;
  text-align: left;
  cursor: pointer;
  align-items: center;
  border-radius: 8px;
}
.row:hover,
.row.chosen {
  background: var(--leaf);
}
.number {
  color: var(--soft);
  align-self: start;
}
.name {
  display: block;
}
.whose,
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-top: 8px;
}
.shared {
  margin-top: 8px;
}
.finding {
  display: block;
  color: var(--warn);
  font-size: 13.5px;
}
@media (max-width: 760px) {
  /* There is no keyboard, and nothing is dragged. */
  .keys {
    display: none;
  }
  li {
    grid-template-columns: 46px minmax(0, 1fr);
    row-gap: 12px;
  }
  .switch {
    align-self: end;
  }
  .handle {
    grid-area: 2 / 1;
    align-self: start;
  }
  .row {
    grid-area: 1 / 2 / span 2;
    grid-template-columns: 24px minmax(0, 1fr);
    gap: 8px;
  }
  .strip {
    grid-column: 2;
  }
}
</style>
