<script setup lang="ts">
import { computed, reactive, ref } from 'vue'
import { may } from '../../../protocol/roles.ts'
import { pagesOf, type CopiedKind, type CopyAnswer } from '../../../protocol/places.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { PLACE } from '../../model/address.ts'
import { useMe } from '../../stores/me.ts'
import { placesText } from '../../text/places.ts'
import ActButton from './ActButton.vue'

/** Copies an entry of the draft into the drafts of other places, each after a look at what it does there. */
const props = defineProps<{ kind: CopiedKind; entry: { readonly id: string; readonly name: string } }>()
const me = useMe()
const others = computed(() => me.places.filter(({ id, role }) => id !== PLACE && may(role, 'edit')))
const open = ref(false)
const { busy, trouble, attempt } = useRequest()
/** The effect at each chosen place, and the places at which it was copied. */
const reviews = reactive(new Map<string, CopyAnswer>())
const copied = reactive(new Set<string>())
const wish = computed(() => ({ from: PLACE, kind: props.kind, ids: [props.entry.id] }))
const waiting = computed(() =>
  others.value.filter(({ id }) => reviews.has(id) && !copied.has(id) && reviews.get(id)!.does !== 'nothing'),
)

function show() {
  reviews.clear()
  copied.clear()
  trouble.value = ''
  open.value = true
}
async function choose(place: string, isChosen: boolean) {
  if (!isChosen) return void reviews.delete(place)
  await attempt(async () => {
    const [answer] = await callApi<CopyAnswer[]>('POST', `/api/places/${place}/copies/review`, wish.value)
    reviews.set(place, answer!)
  })
}
const copy = () =>
  attempt(async () => {
    for (const { id } of waiting.value) {
      await callApi('POST', `/api/places/${id}/copies`, wish.value)
      copied.add(id)
    }
  })
</script>

<template>
  <div v-if="others.length > 0">
    <ActButton @click="show">{{ placesText.copyTo }}</ActButton>
    <UModal v-model:open="open" :title="placesText.copyTitle(entry.name)" :ui="{ content: 'max-w-2xl' }">
      <template #body>
        <p class="soft">{{ placesText.copyHow }}</p>
        <ul>
          <li v-for="{ id, name } in others" :key="id">
            <UCheckbox
              :model-value="reviews.has(id)"
              :label="name"
              :disabled="busy || copied.has(id)"
              @update:model-value="(value) => choose(id, value === true)"
            />
            <p v-if="copied.has(id)" role="status">
              {{ placesText.copied(name) }}
              <a :href="`${pagesOf(id)}/review`" class="link">{{ placesText.reviewThere }}</a>
            </p>
            <template v-else-if="reviews.has(id)">
              <p class="soft">{{ placesText.does[reviews.get(id)!.does] }}</p>
              <ul v-if="reviews.get(id)!.does === 'replace'" class="words">
                <li v-for="line in reviews.get(id)!.words" :key="line">{{ line }}</li>
              </ul>
            </template>
          </li>
        </ul>
        <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      </template>
      <template #footer>
        <ActButton
          color="primary"
          variant="solid"
          :loading="busy"
          :disabled="waiting.length === 0"
          @click="copy"
          >{{ placesText.copyNow(waiting.length) }}</ActButton
        >
        <ActButton @click="open = false">{{ placesText.close }}</ActButton>
      </template>
    </UModal>
  </div>
</template>

<style scoped>
li {
  padding: 8px 0;
}
li > p,
.words {
  margin-left: 26px;
}
.words > li {
  padding: 1px 0;
}
</style>
