<script setup lang="ts">
import { computed } from 'vue'
import { periodStates, type Person } from '../../../core/decision/periods.ts'
import type { State } from '../../../core/decision/standing.ts'
import type { Row } from '../../model/board/board-rows.ts'
import { useBoard } from '../../stores/board.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useHistory } from '../../stores/history.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { networksText } from '../../text/settings/networks.ts'
import { stateWord } from '../../text/standing.ts'
import { whenWords } from '../../text/time.ts'
import { boardText } from '../../text/board.ts'
import MarkedText from '../common/MarkedText.vue'

/** In which network a device is, and how it would stand in each of the others where that is another way. */
const props = defineProps<{ row: Row; person: Person; state: State }>()
const [board, gateway, history, moment, place] = [
  useBoard(),
  useGateway(),
  useHistory(),
  useMoment(),
  usePlace(),
]
const isConnected = computed(() =>
  gateway.sightings.some(({ mac, connected }) => connected && props.row.macs.includes(mac)),
)
const others = computed(() => {
  const { networks } = board.policy
  if (networks.length === 0) return []
  const places = [{ id: null, name: '' }, ...networks].filter(({ id }) => id !== props.person.network)
  const states = periodStates(
    history.periods,
    places.map(({ id }) => ({ ...props.person, network: id })),
    moment.at,
  )
  return places.flatMap(({ id, name }, index) => {
    const there = states[index]!
    if (there.state === props.state) return []
    const until =
      there.until === null ? '' : ` ${boardText.until(whenWords(there.until, moment.at, place.zone))}`
    const words = `${stateWord(there)}${until}`
    return [id === null ? networksText.elsewhere(words) : networksText.onAnother(name, words)]
  })
})
</script>

<template>
  <ul v-if="row.network || others.length > 0" class="where">
    <li v-if="row.network">
      <MarkedText v-slot="{ words }" :text="networksText.seenOn(row.network, isConnected)"
        ><b>{{ words }}</b></MarkedText
      >
    </li>
    <li v-for="text in others" :key="text">
      <MarkedText v-slot="{ words }" :text="text"
        ><b>{{ words }}</b></MarkedText
      >.
    </li>
  </ul>
</template>

<style scoped>
.where {
  font-size: 13px;
  color: var(--soft);
  margin: 12px 0 10px;
}
b {
  color: var(--ink);
  font-weight: 600;
}
</style>
