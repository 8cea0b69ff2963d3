<script setup lang="ts">
import { ENTRY_KINDS } from '../../../core/policy/kinds.ts'
import { computed, ref } from 'vue'
import type { PolicyFinding } from '../../../core/findings/rules.ts'
import type { RuleEdits } from '../../../protocol/edits.ts'
import type { Rule } from '../../../core/policy/types.ts'
import { orderMark, useDraft } from '../../composables/useDraft.ts'
import { isPolicyFinding, useFindings } from '../../stores/findings.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { DAY } from '../../../core/time/duration.ts'
import { decide } from '../../composables/useDecider.ts'
import { effectWords } from '../../../core/words/change.ts'
import { NEW_RULE } from '../../model/rule-form.ts'
import { addressOf } from '../../composables/useOpened.ts'
import { shellText } from '../../text/shell.ts'
import ActButton from '../common/ActButton.vue'

/**
 * Everything in the draft that is likely not meant, each with what to do about it; one can be dismissed with
 * a reason. With `fresh` only what is not so in what is live.
 */
const props = defineProps<{ fresh?: boolean }>()
const [draft, gateway, findings] = [useDraftPolicy(), useGateway(), useFindings()]
const { busy, trouble, send, put, remove, tell } = useDraft()
const open = ref(false)
const showsDismissed = ref(false)
const asking = ref<{ mark: string; reason: string } | null>(null)
const all = computed(() => (findings.all ?? []).filter(({ isNew }) => !props.fresh || isNew))
const shown = computed(() => all.value.filter(({ dismissal }) => !dismissal || showsDismissed.value))
const count = computed(() => all.value.filter(({ dismissal }) => !dismissal).length)
const dismissedCount = computed(() => all.value.length - count.value)
const headline = computed(() => {
  if (count.value === 0) return props.fresh ? shellText.noNewWarnings : shellText.noWarnings
  return shellText.warningCount(count.value, props.fresh === true)
})

/** The acts that mend a finding at once; each is undone like any edit. */
function mendOf(finding: PolicyFinding): { words: string; act: () => Promise<unknown> } | null {
  const policy = draft.policy
  if (finding.kind === 'never-decides')
    return { words: shellText.moveItAboveThem, act: () => weighMove(finding.rule, finding.by) }
  if (finding.kind === 'opens-nothing' && finding.above !== null) {
    const { rule, above } = finding
    return { words: shellText.moveItAbove, act: () => weighMove(rule, [above]) }
  }
  if (finding.kind === 'unused') {
    const kind = finding.part
    const entry = policy[ENTRY_KINDS[kind].key].find(({ id }) => id === finding.id)!
    return {
      words: shellText.deleteIt,
      act: () => remove(kind, entry),
    }
  }
  if (
    finding.kind === 'no-rule' ||
    finding.kind === 'covered-exceptions' ||
    finding.kind === 'slips-from-network'
  )
    return null
  if (finding.kind === 'slips-by-address')
    return {
      words: shellText.blockUnknown,
      act: () =>
        keepRules(
          [{ ...NEW_RULE, name: shellText.unknownDevices, who: { ...NEW_RULE.who, newcomers: true } }],
          shellText.unknownBlocked,
        ),
    }
  if (finding.kind === 'slips-by-service')
    return { words: shellText.blockServices, act: () => closeServices(finding.rules, finding.services) }
  if (finding.kind === 'own-machine')
    return { words: shellText.neverBlockIt, act: () => shield(finding.device) }
  const id = finding.kind === 'contradiction' ? finding.other : finding.rule
  return {
    words: finding.kind === 'contradiction' ? shellText.turnSecondOff : shellText.turnItOff,
    act: () => switchOff(id),
  }
}
/** A move that waits for a yes: the order that it makes, and what that changes. */
const move = ref<{ id: string; ids: string[]; words: string } | null>(null)
async function weighMove(id: string, by: readonly string[]) {
  const { policy } = draft
  const ids = policy.rules.map((rule) => rule.id)
  const first = Math.min(...by.map((other) => ids.indexOf(other)))
  const order = ids.filter((one) => one !== id).toSpliced(first, 0, id)
  const crossed = ids
    .slice(first, ids.indexOf(id))
    .map((other) => policy.rules.find((rule) => rule.id === other)!.name)
  const rules = order.map((one) => policy.rules.find((rule) => rule.id === one)!)
  const from = Math.floor(Date.now() / 1000)
  const changes = await decide({
    kind: 'changes',
    before: policy,
    after: { ...policy, rules },
    from,
    until: from + 7 * DAY,
    seen: gateway.whereabouts,
  })
  move.value = { id, ids: order, words: shellText.itWillBeAbove(crossed, effectWords(changes)) }
}
async function makeMove() {
  const made = await send<{ step: number | null }>(
    'PUT',
    '/api/rules/order',
    { ids: move.value!.ids },
    orderMark(draft.policy),
  )
  move.value = null
  if (made) tell(shellText.theRuleWasMovedUp, made.step)
}
async function keepRules(rules: readonly Rule[], words: string) {
  const edits: RuleEdits['edits'] = rules.map(({ id, ...rule }) => ({ id: id || null, rule, mark: null }))
  const made = await send<{ step: number | null }>('POST', '/api/rules/many', {
    edits,
    takeOut: [],
  } satisfies RuleEdits)
  if (made) tell(words, made.step)
}
function closeServices(ids: readonly string[], services: readonly string[]) {
  const rules = draft.policy.rules.filter(({ id }) => ids.includes(id))
  return keepRules(
    rules.map((rule) => ({
      ...rule,
      what: { ...rule.what, services: [...new Set([...rule.what.services, ...services])] },
    })),
    shellText.servicesBlocked,
  )
}
async function shield(id: string) {
  const { id: _id, ...device } = draft.policy.devices.find((one) => one.id === id)!
  await put('device', id, { ...device, shielded: true })
}
async function switchOff(id: string) {
  const { id: _id, ...rule } = draft.policy.rules.find((one) => one.id === id)!
  await put('rule', id, { ...rule, enabled: false })
}
async function dismiss() {
  if (
    asking.value &&
    (await send('PUT', `/api/asides/${asking.value.mark}`, { reason: asking.value.reason })) !== null
  )
    asking.value = null
}
</script>

<template>
  <section class="findings" :aria-label="shellText.findings">
    <p role="status">
      <ActButton :aria-expanded="open" @click="open = !open">{{
        findings.all ? headline : shellText.checkingForWarnings
      }}</ActButton>
    </p>
    <template v-if="open">
      <ul>
        <li v-for="{ mark, finding, words, dismissal } in shown" :key="mark">
          <span :class="{ soft: dismissal }">{{ words }}</span>
          {{ ' ' }}
          <span v-if="dismissal" class="soft"
            >{{ shellText.dismissedBy(dismissal.author, dismissal.reason) }}
            <ActButton size="xs" :disabled="busy" @click="send('DELETE', `/api/asides/${mark}`)">{{
              shellText.showAgain
            }}</ActButton></span
          >
          <form v-else-if="asking?.mark === mark" class="why" @submit.prevent="dismiss">
            <UInput
              v-model="asking.reason"
              :aria-label="shellText.reason"
              class="w-56"
              :placeholder="shellText.reason"
              required
              maxlength="500"
            />
            {{ ' ' }}
            <ActButton
              size="xs"
              color="primary"
              variant="solid"
              type="submit"
              :disabled="asking.reason.trim() === '' || busy"
              >{{ shellText.dismiss }}</ActButton
            >
          </form>
          <span v-else-if="move && 'rule' in finding && move.id === finding.rule" class="acts" role="status"
            >{{ move.words }}
            <ActButton size="xs" :disabled="busy" @click="makeMove">{{ shellText.moveIt }}</ActButton>
            {{ ' ' }}
            <ActButton size="xs" @click="move = null">{{ shellText.cancel }}</ActButton></span
          >
          <span v-else-if="finding.kind === 'no-rule'" class="acts"
            ><NuxtLink to="/rules" class="link">{{ shellText.showRules }}</NuxtLink>
            {{ ' ' }}
            <ActButton size="xs" @click="asking = { mark, reason: '' }">{{
              shellText.dismissEntry
            }}</ActButton></span
          >
          <span v-else class="acts">
            <ActButton
              v-if="isPolicyFinding(finding) && mendOf(finding)"
              size="xs"
              :disabled="busy"
              @click="mendOf(finding)!.act()"
              >{{ mendOf(finding)!.words }}</ActButton
            >
            <NuxtLink
              v-else-if="finding.kind === 'covered-exceptions'"
              :to="addressOf('/schedules', finding.schedule)"
              class="link"
              >{{ shellText.showSchedule }}</NuxtLink
            >
            <NuxtLink v-else to="/devices" class="link">{{ shellText.showDevices }}</NuxtLink>
            <ActButton size="xs" @click="asking = { mark, reason: '' }">{{
              shellText.dismissEntry
            }}</ActButton>
          </span>
        </li>
      </ul>
      <p v-if="dismissedCount > 0" class="soft">
        {{ shellText.dismissed(dismissedCount) }}
        <ActButton size="xs" @click="showsDismissed = !showsDismissed">{{
          showsDismissed ? shellText.hide : shellText.show
        }}</ActButton>
      </p>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    </template>
  </section>
</template>

<style scoped>
.findings {
  margin: 10px 0;
  color: var(--ink);
}
ul {
  border-left: 3px solid var(--warn);
  padding-left: 12px;
  margin: 8px 0;
}
li {
  padding: 3px 0;
  max-width: 92ch;
}
.acts {
  display: inline-flex;
  gap: 14px;
  margin-left: 10px;
  color: var(--soft);
}
.why {
  display: inline-flex;
  gap: 8px;
  margin-left: 10px;
}
</style>
