<script setup lang="ts">
import { computed, ref } from 'vue'
import { MINUTE } from '../../../core/time/duration.ts'
import { lengthWords } from '../../../core/words/length.ts'
import type { SavedActAnswer } from '../../../protocol/answers.ts'
import { isWithin } from '../../../protocol/helper-limit.ts'
import { callApi } from '../../composables/useApi.ts'
import { useOverride } from '../../composables/useOverride.ts'
import { useLive } from '../../stores/live.ts'
import { useMe } from '../../stores/me.ts'
import { useSavedActs } from '../../stores/saved-acts.ts'
import { cardsText } from '../../text/people-cards.ts'
import ActButton from '../common/ActButton.vue'
import ManyField from '../common/ManyField.vue'
import SelectField from '../common/SelectField.vue'

/** The saved acts, a button each; an editor makes and deletes them here. */
const [live, me, saved] = [useLive(), useMe(), useSavedActs()]
const { busy, act, doSaved, cutsOff } = useOverride()
/** The acts that who is signed in may do. */
const acts = computed(() =>
  saved.all.filter(
    ({ who, lasts }) =>
      me.mayDo('help') &&
      (me.limit === null ||
        (isWithin(me.limit, live.answer.policy, who) && lasts <= me.limit.minutes * MINUTE)),
  ),
)
/** The act that would cut off the device in use: it asks once more. */
const asked = ref('')
async function run(one: SavedActAnswer) {
  if (cutsOff(one) && asked.value !== one.id) {
    asked.value = one.id
    return
  }
  asked.value = ''
  await doSaved(one)
}

const open = ref(false)
const EFFECTS = [
  { value: 'block', label: cardsText.block },
  { value: 'allow', label: cardsText.allow },
] as const
const LENGTHS = [10, 15, 30, 45, 60, 90, 120, 240].map((minutes) => ({
  value: minutes * MINUTE,
  label: cardsText.forLength(lengthWords(minutes * MINUTE)),
}))
const EMPTY = { name: '', named: [] as string[], effect: 'block' as 'block' | 'allow', lasts: 45 * MINUTE }
const form = ref({ ...EMPTY })
const EVERYONE = 'everyone'
const choices = computed(() => [
  ...live.answer.policy.groups.map(({ id, name }) => ({ value: `groups:${id}`, label: name })),
  { value: EVERYONE, label: cardsText.everyone },
  ...live.answer.policy.devices.map(({ id, name }) => ({ value: `devices:${id}`, label: name })),
])
const isWhole = computed(() => form.value.name.trim() !== '' && form.value.named.length > 0)
async function save() {
  const { name, named, effect, lasts } = form.value
  const of = (kind: string) =>
    named.flatMap((key) => (key.startsWith(`${kind}:`) ? [key.slice(kind.length + 1)] : []))
  const who = { everyone: named.includes(EVERYONE), devices: of('devices'), groups: of('groups') }
  const body = { name: name.trim(), effect, who, lasts }
  const isDone = await act(
    cardsText.actSaved(body.name),
    () => callApi<{ id: string }>('POST', '/api/saved-acts', body),
    ({ id }) => callApi('DELETE', `/api/saved-acts/${id}`),
  )
  if (!isDone) return
  form.value = { ...EMPTY }
  open.value = false
}
const drop = ({ id, author: _, ...form }: SavedActAnswer) =>
  act(
    cardsText.actDeleted(form.name),
    () => callApi('DELETE', `/api/saved-acts/${id}`),
    () => callApi('POST', '/api/saved-acts', form),
  )
</script>

<template>
  <section v-if="acts.length > 0 || me.mayDo('edit')" class="saved" :aria-label="cardsText.savedActs">
    <span v-for="one in acts" :key="one.id" class="act"
      ><ActButton class="pill" :disabled="busy" @click="run(one)">{{
        asked === one.id ? cardsText.doAnyway(one.name) : one.name
      }}</ActButton
      ><ActButton
        v-if="open"
        size="xs"
        variant="ghost"
        icon="i-lucide-x"
        :aria-label="cardsText.deleteAct(one.name)"
        :disabled="busy"
        @click="drop(one)"
    /></span>
    <ActButton v-if="me.mayDo('edit') && !open" class="pill new" icon="i-lucide-plus" @click="open = true">{{
      cardsText.saveAnAct
    }}</ActButton>
    <p v-if="asked" class="soft" role="alert">{{ cardsText.ownDevice }}</p>
    <form v-if="open" class="leaf" @submit.prevent="save">
      <label class="above name"
        >{{ cardsText.name
        }}<UInput v-model="form.name" maxlength="60" :placeholder="cardsText.nameExample" autofocus
      /></label>
      <ManyField
        v-model="form.named"
        :label="cardsText.whom"
        :items="choices"
        :placeholder="cardsText.whom"
        class="min-w-40"
      />
      <SelectField v-model="form.effect" :label="cardsText.does" :items="EFFECTS" />
      <SelectField v-model="form.lasts" :label="cardsText.howLong" :items="LENGTHS" />
      <ActButton type="submit" color="primary" variant="solid" :loading="busy" :disabled="!isWhole">{{
        cardsText.save
      }}</ActButton>
      <ActButton variant="ghost" @click="open = false">{{ cardsText.close }}</ActButton>
    </form>
  </section>
</template>

<style scoped>
.saved {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin: 6px 0 14px;
}
.act {
  display: inline-flex;
  align-items: center;
}
.pill {
  border-radius: 999px;
}
.new {
  color: var(--soft);
}
form {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: end;
  width: 100%;
  padding: 14px 16px;
}
.name {
  flex: 1 1 160px;
}
</style>
