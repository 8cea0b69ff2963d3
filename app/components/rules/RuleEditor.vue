<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Rule } from '../../../core/policy/types.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useNetwork } from '../../stores/network.ts'
import ServiceField from '../lists/ServiceField.vue'
import EditorActs from '../shell/EditorActs.vue'
import RulePicture from './RulePicture.vue'
import WordField from './WordField.vue'
import { timingOf, whatChoices, whatOf, whatValues, whenOf, whoChoices, whoOf, whoValues } from './form.ts'

/** A rule as a sentence whose parts are edited in place. */
const props = defineProps<{ rule: Rule, isNew: boolean }>()
const emit = defineEmits<{ done: [] }>()
const network = useNetwork()
const { busy, trouble, send, put, remove } = useDraft()

/** Menus are as wide as their longest entry, not as the field. */
const WIDE = { content: 'w-auto min-w-56' }
/** The rule as it was when the editor opened: another window may change it meanwhile. */
const was = props.rule
const { who, what, when } = was
const name = ref(props.rule.name)
const effect = ref(props.rule.effect)
const enabled = ref(props.rule.enabled)
const named = ref(whoValues(who).named)
const except = ref(whoValues(who).except)
const internet = ref(what.internet)
const closed = ref(whatValues(what))
const timing = ref(timingOf(when))
const schedules = ref('schedules' in when ? [...when.schedules] : [])
const once = ref('from' in when ? { ...when } : { from: '', until: '' })

const people = computed(() => whoChoices(network.draft!))
const exceptable = computed(() => people.value.filter(choice => choice.kind !== ''))
const closable = computed(() => whatChoices(network.draft!))
const hours = computed(() => network.draft!.schedules.map(({ id, name }) => ({ value: id, label: name })))
const words = ref({ sites: what.sites, keywords: what.keywords, services: what.services })
const note = ref(was.note)
const typed = computed(() => Object.values(words.value).some(list => list.length > 0))
const missing = computed(() => {
  if (named.value.length === 0) return 'Say whom the rule meets.'
  if (!internet.value && closed.value.length === 0 && !typed.value) return 'Say what it speaks of.'
  if ((timing.value === 'during' || timing.value === 'outside') && schedules.value.length === 0) return 'Choose a schedule.'
  return name.value.trim() === '' ? 'Give it a name.' : ''
})

/** The rule as it stands in the editor, as plain data that a worker can take. */
const edited = computed((): Rule => {
  const { sites, keywords, services } = words.value
  return {
    id: was.id, name: name.value, enabled: enabled.value, effect: effect.value, note: note.value,
    who: whoOf(named.value, except.value), what: whatOf(internet.value, closed.value, { ...what, sites: [...sites], keywords: [...keywords], services: [...services] }),
    when: whenOf(timing.value, [...schedules.value], { ...once.value }),
  }
})
/** Whether its parts say enough for a picture. */
const whole = computed(() => timing.value !== 'once' || (once.value.from !== '' && once.value.until > once.value.from))

async function keep() {
  const { id: _id, ...form } = edited.value
  if (await put('rules', props.isNew ? null : was.id, form, props.isNew ? undefined : was)) emit('done')
}
async function copy() {
  const { id: _id, ...form } = edited.value
  const id = await put('rules', null, { ...form, name: `${form.name} (copy)` })
  if (!id) return
  const order = network.draft!.rules.map(rule => rule.id).filter(one => one !== id)
  await send('PUT', '/api/rules/order', { ids: order.toSpliced(order.indexOf(was.id) + 1, 0, id) })
  emit('done')
}
async function drop() {
  if (await remove('rules', props.rule)) emit('done')
}
</script>

<template>
  <form class="leaf editor" @submit.prevent="keep">
    <div class="sentence serif">
      <USelectMenu v-model="named" multiple value-key="value" :items="people" placeholder="whom?" aria-label="Whom it meets" class="min-w-44 max-w-80" :ui="WIDE" />
      <span>except</span>
      <USelectMenu v-model="except" multiple value-key="value" :items="exceptable" placeholder="nobody" aria-label="Except" class="min-w-28 max-w-80" :ui="WIDE" />
      <select v-model="effect" aria-label="May or may not"><option value="block">may not reach</option><option value="allow">may reach</option></select>
      <select v-model="internet" aria-label="All or some of the internet"><option :value="true">the internet</option><option :value="false">what is listed:</option></select>
      <template v-if="!internet">
        <USelectMenu v-model="closed" multiple value-key="value" :items="closable" placeholder="lists, apps, categories" aria-label="What it speaks of" class="min-w-44 max-w-80" :ui="WIDE" />
      </template>
      <select v-model="timing" aria-label="When"><option value="always">at any time</option><option value="during">during</option><option value="outside">outside</option><option value="once">once, from</option></select>
      <USelectMenu v-if="timing === 'during' || timing === 'outside'" v-model="schedules" multiple value-key="value" :items="hours" placeholder="which hours?" aria-label="Schedules" class="min-w-44 max-w-80" :ui="WIDE" />
      <template v-if="timing === 'once'">
        <input v-model="once.from" type="datetime-local" aria-label="From" required> <span>until</span> <input v-model="once.until" type="datetime-local" aria-label="Until" required>
      </template>
    </div>
    <div v-if="!internet" class="line">
      <WordField v-model="words.sites" kind="sites" label="and these sites" placeholder="reelbrook.example, 203.0.113.0/24" />
      <WordField v-model="words.keywords" kind="keywords" label="and every name that contains" placeholder="stream" />
      <fieldset><legend>and these services</legend><ServiceField v-model="words.services" /></fieldset>
    </div>
    <RulePicture v-if="whole" :rule="edited" />
    <div class="line">
      <label>Name<input v-model="name" maxlength="200" placeholder="Quiet hours"></label>
      <label class="note">Note<input v-model="note" maxlength="500"></label>
      <label class="tick"><input v-model="enabled" type="checkbox"> Switched on</label>
      <button v-if="!isNew" type="button" class="link copy" :disabled="busy || missing !== ''" @click="copy">make a copy below it</button>
    </div>
    <p class="trouble" role="alert">{{ trouble }}</p>
    <EditorActs :is-new="isNew" :busy="busy" :blocked="missing !== ''" :missing="missing" @close="emit('done')" @remove="drop" />
  </form>
</template>

<style scoped>
.editor { padding: 18px 20px 14px; margin: 8px 0 14px; }
.sentence { display: flex; flex-wrap: wrap; gap: 8px 10px; align-items: center; font-size: 17px; }
select, input:not([type=checkbox]) { background: var(--paper); border: 1px solid var(--line); border-radius: 4px; padding: 5px 8px; color: var(--ink); font: inherit; }
.note { flex: 1 1 200px; }
.copy { padding-bottom: 9px; }
fieldset { flex-basis: 100%; }
legend { font-size: 12.5px; color: var(--soft); margin-bottom: 4px; }
.line { display: flex; gap: 10px 20px; align-items: end; margin-top: 14px; flex-wrap: wrap; }
label { display: flex; flex-direction: column; gap: 3px; font-size: 12.5px; color: var(--soft); }
label input { font-size: 15px; }
.tick { flex-direction: row; align-items: center; gap: 6px; padding-bottom: 8px; font-size: 13px; cursor: pointer; }
.trouble { color: var(--needle-text); min-height: 19px; }
</style>
