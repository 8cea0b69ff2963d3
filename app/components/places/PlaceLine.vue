<script setup lang="ts">
import { computed, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import { countWords } from '../../../core/words/count.ts'
import { FIRST, pagesOf, type PlaceSummary } from '../../../protocol/places.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { PLACE } from '../../model/address.ts'
import { attentionOf } from '../../model/places.ts'
import { useMoment } from '../../stores/moment.ts'
import { placesText } from '../../text/places.ts'
import { whenWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'

/** One place of the overview: who is blocked there, what comes next, and what needs somebody. */
const props = defineProps<{ place: PlaceSummary; mayRemove: boolean }>()
const emit = defineEmits<{ removed: [] }>()
const moment = useMoment()
const { busy, trouble, send } = useRequest()
const city = computed(() => props.place.timeZone.split('/').at(-1)!.replaceAll('_', ' '))
const next = computed(() => {
  const { next: at, timeZone } = props.place
  if (at === null) return placesText.noChange
  return placesText.nextChange(whenWords(readInstant(at)!, moment.now, timeZone), city.value)
})
const state = computed(() => {
  if (props.place.gateway === 'away') return placesText.away
  if (props.place.gateway === 'refused') return placesText.refused
  if (props.place.gateway === 'none') return placesText.unconnectedPlace
  if (props.place.isSimulated) return placesText.simulated
  return props.place.gateway === 'pending' ? placesText.pending : placesText.inForce
})
const asked = ref(false)
async function remove() {
  if (await send('DELETE', `/api/places/${FIRST}/places/${props.place.id}`)) emit('removed')
}
</script>

<template>
  <li :class="{ urgent: attentionOf(place) }">
    <div class="row">
      <a :href="`${pagesOf(place.id)}/`" class="name display">{{ place.name }}</a>
      <span>{{ placesText.blockedOf(place.blocked, place.devices) }}</span>
      <span class="soft">{{ next }}</span>
      <span class="state" :class="{ trouble: attentionOf(place) }">
        {{ state
        }}<a v-if="place.alarms > 0" :href="`${pagesOf(place.id)}/activity`" class="link">{{
          countWords(place.alarms, 'alarm')
        }}</a
        ><a v-if="place.requests > 0" :href="`${pagesOf(place.id)}/`" class="link">{{
          placesText.requests(place.requests)
        }}</a>
      </span>
      <span class="end">
        <span v-if="place.id === PLACE" class="soft">{{ placesText.here }}</span>
        <ActButton
          v-else-if="mayRemove && !asked"
          variant="ghost"
          size="xs"
          class="text-(--soft)"
          :aria-label="placesText.removeOne(place.name)"
          @click="asked = true"
          >{{ placesText.remove }}</ActButton
        >
      </span>
    </div>
    <p v-if="asked" class="leaf ask" role="alert">
      {{ placesText.removeEffect(place.name) }}
      <span class="acts">
        <ActButton color="error" :loading="busy" @click="remove">{{
          placesText.removeNow(place.name)
        }}</ActButton>
        <ActButton variant="ghost" @click="asked = false">{{ placesText.cancel }}</ActButton>
      </span>
      <span v-if="trouble" class="trouble">{{ trouble }}</span>
    </p>
  </li>
</template>

<style scoped>
li {
  border-bottom: 1px solid var(--hair);
}
.row {
  display: grid;
  grid-template-columns: minmax(150px, 1.1fr) 120px minmax(180px, 1fr) minmax(180px, 1.2fr) 70px;
  gap: 4px 18px;
  align-items: baseline;
  padding: 10px 8px;
}
.name {
  font-size: 17px;
  font-weight: 600;
  overflow-wrap: anywhere;
}
.name:hover {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.state {
  color: var(--soft);
}
.state.trouble {
  color: var(--danger);
  font-weight: 600;
}
.state .link {
  margin-left: 10px;
}
.end {
  text-align: right;
  font-size: 13px;
}
.ask {
  padding: 12px 16px;
  margin: 0 0 10px;
}
.acts {
  display: flex;
  gap: 8px;
  margin-top: 8px;
}
@media (max-width: 760px) {
  .row {
    grid-template-columns: minmax(0, 1fr) auto;
  }
  .row > :nth-child(n + 3) {
    grid-column: 1 / -1;
    text-align: left;
  }
}
</style>
