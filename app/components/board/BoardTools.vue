<script setup lang="ts">
import { computed, ref } from 'vue'
import { useHistory } from '../../stores/history.ts'
import { useLive } from '../../stores/live.ts'
import { useReview } from '../../stores/review.ts'
import { SORTS, useView } from '../../stores/view.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import { boardText } from '../../text/board.ts'

/**
 * The choice of the shown part of the board: the range of time, the order, and which devices. `sections` are
 * the groups that one can choose.
 */
defineProps<{ sections: readonly string[]; shown: number; all: number }>()
const [view, history, review] = [useView(), useHistory(), useReview()]
const SPANS = { day: boardText.day, week: boardText.week } as const
const STATES = [
  { value: '', label: boardText.allStates },
  { value: 'blocked', label: boardText.blocked },
  { value: 'cut-off', label: boardText.blockedEntirely },
  { value: 'listed-only', label: boardText.listedSitesOnly },
  { value: 'filtered', label: boardText.partlyBlocked },
  { value: 'open', label: boardText.allowed },
] as const
const live = useLive()
/** By network where the place has some. */
const sorts = computed(() =>
  SORTS.filter((sort) => sort !== 'network' || live.answer.policy.networks.length > 0).map((sort) => ({
    value: sort,
    label: boardText.sorts[sort],
  })),
)
/** Where all do not fit into a row, the rest of the tools is shown on request: the bands come first. */
const more = ref(false)
const narrowed = computed(() => view.text !== '' || view.state !== '' || view.group !== '')
function showAll() {
  view.text = ''
  view.state = ''
  view.group = ''
}
function showAs(what: 'bands' | 'table' | 'comparison') {
  view.asTable = what === 'table'
  view.comparing = what === 'comparison'
}
</script>

<template>
  <div class="frame">
    <div class="tools" role="group" :aria-label="boardText.whatTheBoardShows">
      <UFieldGroup>
        <ActButton
          v-for="(label, what) in SPANS"
          :key="what"
          :aria-pressed="view.range === null && view.span === what"
          @click="view.show(what)"
          >{{ label }}</ActButton
        >
      </UFieldGroup>
      <UFieldGroup>
        <ActButton
          :aria-label="boardText.earlier"
          :title="boardText.earlier"
          icon="i-lucide-chevron-left"
          @click="view.pan(-0.5)"
        /><ActButton
          :aria-label="boardText.later"
          :title="boardText.later"
          icon="i-lucide-chevron-right"
          @click="view.pan(0.5)"
        />
        <ActButton :aria-label="boardText.closer" :title="boardText.closerHint" @click="view.zoom(0.5)"
          >+</ActButton
        ><ActButton :aria-label="boardText.farther" :title="boardText.farther" @click="view.zoom(2)"
          >−</ActButton
        >
      </UFieldGroup>
      <ActButton class="more" :aria-expanded="more" @click="more = !more">{{
        more ? boardText.less : boardText.filterAndSort
      }}</ActButton>
      <span class="rest" :class="{ open: more }">
        <SelectField
          v-if="sections.length > 1"
          v-model="view.group"
          :label="boardText.whichGroup"
          :items="[
            { value: '', label: boardText.allGroups },
            ...sections.map((section) => ({ value: section, label: section })),
          ]"
        />
        <SelectField v-model="view.state" :label="boardText.whichState" :items="STATES" />
        <UInput
          v-model="view.text"
          type="search"
          :aria-label="boardText.whichDevices"
          class="w-32"
          :placeholder="boardText.findADevice"
        />
        <SelectField v-model="view.sort" :label="boardText.sortBy" :items="sorts" />
        <UFieldGroup>
          <ActButton :aria-pressed="view.asTable" @click="showAs(view.asTable ? 'bands' : 'table')">{{
            boardText.table
          }}</ActButton>
          <ActButton
            :aria-pressed="view.comparing"
            @click="showAs(view.comparing ? 'bands' : 'comparison')"
            >{{ boardText.compare }}</ActButton
          >
        </UFieldGroup>
      </span>
      <UFieldGroup
        v-if="review.entries.length > 0 || history.showsDraft"
        role="group"
        :aria-label="boardText.whichPolicy"
      >
        <ActButton :aria-pressed="!history.showsDraft" @click="history.showsDraft = false">{{
          boardText.live
        }}</ActButton>
        <ActButton :aria-pressed="history.showsDraft" @click="history.showsDraft = true">{{
          boardText.draft
        }}</ActButton>
      </UFieldGroup>
      <span v-if="narrowed" class="soft" role="status"
        >{{ boardText.shownOfAll(shown, all) }}
        <ActButton @click="showAll">{{ boardText.showAll }}</ActButton></span
      >
      <p v-if="history.trouble" class="trouble" role="alert">
        {{ boardText.earlierPoliciesFailed(history.trouble) }}
        <ActButton @click="history.load()">{{ boardText.tryAgain }}</ActButton>
      </p>
    </div>
  </div>
</template>

<style scoped>
.frame {
  container-type: inline-size;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 10px;
  align-items: center;
  font-size: 14px;
  margin-bottom: 10px;
}
.rest {
  display: contents;
}
.more {
  display: none;
}
/* One row: beside the panel of a device there is no room for all. */
@container (max-width: 985px) {
  .more {
    display: inline-flex;
  }
  .rest:not(.open) {
    display: none;
  }
}
.trouble {
  flex-basis: 100%;
}
</style>
