<script setup lang="ts">
import { computed } from 'vue'
import { dayAt } from '../../../core/time/instant.ts'
import { useBoard } from '../../stores/board.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { listWords } from '../../../core/words/count.ts'
import { clockOf, weekdayWords } from '../../text/time.ts'
import { lengthWords } from '../../../core/words/length.ts'
import type { StateChange } from '../../model/board/state-changes.ts'
import { boardText } from '../../text/board.ts'

/**
 * The next five instants at which somebody is blocked or allowed again, with a count-down while the needle is
 * at now.
 */
const props = defineProps<{ turns: readonly StateChange[] }>()
const [place, board, moment] = [usePlace(), useBoard(), useMoment()]
const MAX_CHANGES = 5
const said = computed(() =>
  props.turns.slice(0, MAX_CHANGES).map(({ at, blocked, back }) => ({
    at,
    words: [partWords(blocked, boardText.turnsBlocked), partWords(back, boardText.turnsAllowed)]
      .filter(Boolean)
      .join('; '),
  })),
)
function partWords(list: readonly number[], words: (names: string, count: number) => string): string {
  if (list.length === 0) return ''
  const names = list.slice(0, 3).map((index) => board.rows[index]?.name ?? '')
  return words(
    list.length > 3
      ? boardText.namesAndMore(names.slice(0, 2).join(', '), list.length - 2)
      : listWords(names),
    list.length,
  )
}
</script>

<template>
  <ol class="turns" :aria-label="boardText.theNextChanges">
    <li v-for="turn in said" :key="turn.at">
      <b
        >{{
          dayAt(turn.at, place.zone) === board.day ? '' : `${weekdayWords(turn.at, place.zone).slice(0, 3)} `
        }}{{ clockOf(turn.at, place.zone) }}</b
      >
      {{ turn.words
      }}<span v-if="moment.isNow" class="soft">{{
        boardText.inLength(lengthWords(turn.at - moment.now))
      }}</span>
    </li>
  </ol>
</template>

<style scoped>
.turns {
  margin: 2px 0 10px;
  font-size: 13px;
  border-left: 2px solid var(--hair);
  padding-left: 12px;
}
li {
  padding: 1px 0;
}
b {
  font-weight: 600;
  display: inline-block;
  min-width: 76px;
}
</style>
