<script setup lang="ts">
import { computed } from 'vue'
import type { State } from '../../../core/decision/standing.ts'
import { bandShapes, mayBeShapes } from '../../../core/picture/band.ts'
import { commonRules } from '../../../core/picture/common.ts'
import { whatWords, whenRuleWords } from '../../../core/words/rule.ts'
import { useBoard } from '../../stores/board.ts'
import { allowancesText } from '../../text/allowances.ts'
import { boardText } from '../../text/board.ts'

/** The key of the four shapes of a band. */
const SHAPES: readonly (readonly [State, string])[] = [
  ['open', 'allowed'],
  ['filtered', boardText.partlyBlocked],
  ['listed-only', boardText.listedSitesOnly],
  ['cut-off', 'blocked'],
]
const key = SHAPES.map(([state, words]) => ({
  state,
  words,
  shape: bandShapes([{ from: 0, until: 1, state }], 0, 1, 28, 12)[0]!,
}))
const OPEN = key[0]!.shape
const [MAY_BE] = mayBeShapes([{ from: 0, until: 1 }], 0, 1, 28, 12)
const board = useBoard()
/** The rules that hold for everybody, which the bands do not show. */
const common = computed(() => commonRules(board.policy))
const areAllowances = computed(() => board.mayBe.some((ranges) => ranges.length > 0))
</script>

<template>
  <ul class="key" :aria-label="boardText.whatTheBandsMean">
    <li v-for="{ state, words, shape } in key" :key="state">
      <svg width="28" height="14" aria-hidden="true">
        <path v-if="shape.path" :d="shape.path" class="fill" />
        <circle v-for="dot in shape.dots" :key="dot" :cx="dot" cy="9" r="1.7" class="fill" />
        <line x1="0" x2="28" y1="12" y2="12" class="base" :class="{ cut: state === 'cut-off' }" /></svg
      >{{ words }}
    </li>
    <li v-if="areAllowances">
      <svg width="28" height="14" aria-hidden="true">
        <path :d="OPEN.path" class="fill" />
        <path :d="MAY_BE" class="may" />
        <line x1="0" x2="28" y1="12" y2="12" class="base" /></svg
      >{{ allowancesText.keyMayBe }}
    </li>
    <li v-for="rule in common" :key="rule.id">
      {{ boardText.forEveryone(whatWords(rule.what, board.policy), whenRuleWords(rule.when, board.policy)) }}
    </li>
  </ul>
</template>

<style scoped>
.key {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 18px;
  font-size: 13px;
  color: var(--soft);
}
li {
  display: flex;
  align-items: center;
  gap: 7px;
}
.fill {
  fill: var(--allow);
}
.may {
  fill: var(--paper);
  opacity: 0.65;
}
.base {
  stroke: var(--ink);
  stroke-width: 0.8;
}
.cut {
  stroke-width: 3;
}
</style>
