<script setup lang="ts">
import { computed, ref } from 'vue'
import { adapterFindings } from '../../../core/findings/adapters.ts'
import type { PolicyFinding } from '../../../core/findings/rules.ts'
import { markOf } from '../../../core/policy/canonical.ts'
import { useDecided } from '../../composables/useDecider.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useMoment } from '../../stores/moment.ts'
import { useNetwork } from '../../stores/network.ts'
import { findingWords } from '../../words/device.ts'
import { policyFindingWords } from '../../words/finding.ts'
import { capital } from '../../words/rule.ts'
import { countWord } from '../../words/standing.ts'

/** Everything in the draft that is likely not meant, each with what to do about it; one can be set aside with a reason. */
const [network, moment] = [useNetwork(), useMoment()]
const { busy, trouble, send, put, remove, tell } = useDraft()
const open = ref(false)
const showAside = ref(false)
const asking = ref<{ mark: string, reason: string } | null>(null)
const hour = computed(() => Math.floor(moment.now / 3600) * 3600)
const found = useDecided(() => ({ kind: 'findings' as const, policy: network.draft!, now: hour.value }))
const all = computed(() => {
  const asides = new Map(network.asides.map(aside => [aside.mark, aside]))
  const policy = (found.value ?? []).map(finding => ({ mark: markOf(finding), finding, words: policyFindingWords(finding, network.draft!) }))
  const adapters = adapterFindings(network.draft!, network.sightings).map(finding => ({ mark: markOf(finding), finding, words: `${network.draft!.devices.find(({ id }) => id === finding.device)!.name}: ${findingWords(finding, network.draft!).full}` }))
  return [...policy, ...adapters].map(entry => ({ ...entry, aside: asides.get(entry.mark) }))
})
const shown = computed(() => all.value.filter(({ aside }) => !aside || showAside.value))
const count = computed(() => all.value.filter(({ aside }) => !aside).length)
const asideCount = computed(() => all.value.length - count.value)
const headline = computed(() => count.value === 0 ? 'Nothing looks unmeant.' : `${capital(countWord(count.value))} ${count.value === 1 ? 'thing looks' : 'things look'} unmeant.`)

/** What can be done about a finding at once; each act is undone like any edit. */
function mendOf(finding: PolicyFinding): { words: string, act: () => Promise<unknown> } | null {
  const policy = network.draft!
  if (finding.kind === 'never-decides') return { words: 'move it before them', act: () => moveBefore(finding.rule, finding.by) }
  if (finding.kind === 'unused') {
    const [kind, list] = { siteList: ['site-lists', policy.siteLists], app: ['apps', policy.apps], schedule: ['schedules', policy.schedules], group: ['groups', policy.groups] }[finding.part] as ['groups', readonly { id: string, name: string }[]]
    return { words: 'take it out', act: () => remove(kind, list.find(({ id }) => id === finding.id)!) }
  }
  if (finding.kind === 'no-rule') return null
  const id = finding.kind === 'contradiction' ? finding.other : finding.rule
  return { words: finding.kind === 'contradiction' ? 'switch the second off' : 'switch it off', act: () => switchOff(id) }
}
async function moveBefore(id: string, by: readonly string[]) {
  const ids = network.draft!.rules.map(rule => rule.id)
  const first = Math.min(...by.map(other => ids.indexOf(other)))
  const made = await send<{ step: number | null }>('PUT', '/api/rules/order', { ids: ids.filter(one => one !== id).toSpliced(first, 0, id) })
  if (made) tell('The rule stands before them now.', made.step)
}
async function switchOff(id: string) {
  const { id: _id, ...rule } = network.draft!.rules.find(one => one.id === id)!
  await put('rules', id, { ...rule, enabled: false })
}
async function setAside() {
  if (asking.value && await send('PUT', `/api/asides/${asking.value.mark}`, { reason: asking.value.reason }) !== null) asking.value = null
}
const isPolicy = (finding: { kind: string }): finding is PolicyFinding => !['second-adapter', 'wifi-missing', 'one-machine'].includes(finding.kind)
</script>

<template>
  <section class="findings" aria-label="Findings">
    <p role="status"><button type="button" class="link" :aria-expanded="open" @click="open = !open">{{ found ? headline : 'Looking for what may be unmeant…' }}</button></p>
    <template v-if="open">
      <ul>
        <li v-for="{ mark, finding, words, aside } in shown" :key="mark">
          <span :class="{ soft: aside }">{{ words }}</span>
          <span v-if="aside" class="soft"> Set aside by {{ aside.author }}: “{{ aside.reason }}” <button type="button" class="link" :disabled="busy" @click="send('DELETE', `/api/asides/${mark}`)">take it up again</button></span>
          <form v-else-if="asking?.mark === mark" class="why" @submit.prevent="setAside"><input v-model="asking.reason" aria-label="Why it may stay" placeholder="why it may stay" required maxlength="500"> <UButton type="submit" size="xs" :disabled="asking.reason.trim() === '' || busy">Set it aside</UButton></form>
          <span v-else class="acts">
            <button v-if="isPolicy(finding) && mendOf(finding)" type="button" class="link" :disabled="busy" @click="mendOf(finding)!.act()">{{ mendOf(finding)!.words }}</button>
            <NuxtLink v-else to="/devices" class="link">to the devices</NuxtLink>
            <button type="button" class="link" @click="asking = { mark, reason: '' }">set aside…</button>
          </span>
        </li>
      </ul>
      <p v-if="asideCount > 0" class="soft">{{ asideCount }} set aside. <button type="button" class="link" @click="showAside = !showAside">{{ showAside ? 'Hide' : 'Show' }}</button></p>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    </template>
  </section>
</template>

<style scoped>
.findings { margin: 10px 0; color: var(--ink); }
ul { border-left: 3px solid var(--ochre); padding-left: 12px; margin: 8px 0; }
li { padding: 3px 0; max-width: 92ch; }
.acts { display: inline-flex; gap: 14px; margin-left: 10px; color: var(--soft); }
.why { display: inline-flex; gap: 8px; margin-left: 10px; }
input { background: var(--leaf); border: 1px solid var(--line); border-radius: 4px; padding: 2px 8px; width: 220px; max-width: 100%; }
.trouble { color: var(--needle-text); }
</style>
