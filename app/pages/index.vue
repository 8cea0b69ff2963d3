<script setup lang="ts">
import { computed, defineAsyncComponent, onMounted, ref, watch } from 'vue'
import ActButton from '../components/common/ActButton.vue'
import BoardAxis from '../components/board/BoardAxis.vue'
import BandKey from '../components/board/BandKey.vue'
import BoardHeadline from '../components/board/BoardHeadline.vue'
import BoardRow from '../components/board/BoardRow.vue'
import BoardTools from '../components/board/BoardTools.vue'
import RequestList from '../components/board/RequestList.vue'
import PeopleCards from '../components/people/PeopleCards.vue'
import PersonRow from '../components/board/PersonRow.vue'
import SavedActs from '../components/people/SavedActs.vue'
import RunningOverrides from '../components/common/RunningOverrides.vue'
import type { Segment } from '../../core/decision/timeline.ts'
import type { StateRange } from '../../core/picture/band.ts'
import { drawnStretches } from '../../core/picture/common.ts'
import { boardItems, wantedLines, type Line } from '../model/board/board-lines.ts'
import { overridesOf } from '../model/overrides.ts'
import LongList from '../components/common/LongList.vue'
import { keepEqual } from '../composables/keepEqual.ts'
import { useAsked } from '../composables/useDecider.ts'
import { useWidth } from '../composables/useWidth.ts'
import { useBoard } from '../stores/board.ts'
import { useHistory } from '../stores/history.ts'
import { useMoment } from '../stores/moment.ts'
import { usePeople } from '../stores/people.ts'
import { usePlace } from '../stores/place.ts'
import { useView } from '../stores/view.ts'
import { stretchWords } from '../text/standing.ts'
import { boardText } from '../text/board.ts'
import MarkedText from '../components/common/MarkedText.vue'

// Fetched when somebody compares.
// Parts that are not seen at first are fetched afterwards: the answer comes before them.
const loadPanel = () => import('../components/board/DevicePanel.vue')
const DevicePanel = defineAsyncComponent(loadPanel)
onMounted(() => setTimeout(loadPanel, 2000))
/** Whether the answer is on the screen: the devices, which take longer, are drawn after it. */
const isAnswered = ref(false)
onMounted(() => requestAnimationFrame(() => setTimeout(() => (isAnswered.value = true))))
const AnswerTable = defineAsyncComponent(() => import('../components/board/AnswerTable.vue'))
const CompareBoard = defineAsyncComponent(() => import('../components/board/CompareBoard.vue'))
const people = usePeople()
/** The person whose devices stand under a heading; on a phone they have a card instead. */
const personOf = (section: string) =>
  isNarrow || view.sort !== 'group' ? undefined : people.lines.find(({ group }) => group.name === section)
/** On a phone people come first. */
const isNarrow = matchMedia('(max-width: 760px)').matches
const [place, board, history, view, moment] = [usePlace(), useBoard(), useHistory(), useView(), useMoment()]
const route = useRoute()
const chosen = ref(typeof route.query.device === 'string' ? route.query.device : null)
const track = ref<HTMLElement | null>(null)
const width = useWidth(track)

const brackets = computed((before?: readonly Line['brackets'][]) =>
  keepEqual(
    before,
    board.rows.map((row) => overridesOf(history.periods, row.subject)),
  ),
)
// A line that stays the same is the same object: while the needle moves most do, and are not drawn anew.
const lines = computed((before?: Line[]) =>
  board.rows.map((row, index): Line => {
    const line: Line = {
      row,
      moment: board.moments[index]!,
      brackets: brackets.value[index]!,
      mayBe: board.mayBe[index]!,
      note: board.allowanceNotes[index]!,
    }
    const same = before?.[index]
    return same && (Object.keys(line) as (keyof Line)[]).every((key) => same[key] === line[key]) ? same : line
  }),
)
const shown = computed(() => wantedLines(lines.value, view, view.sort))
const items = computed(() => boardItems(shown.value, view.sort, view.folded))
/** Returns the height of the row of a device, or of the head of a section, in pixels. */
function heightOf(item: (typeof items.value)[number], isNarrow: boolean): number {
  if ('section' in item) return isNarrow ? 56 : 40
  return isNarrow ? 53 : 31
}
/**
 * The rows of the list that are drawn, by their places: only theirs is worked out, unless the table shows
 * all.
 */
const drawn = ref<readonly [number, number]>([0, 40])
const wanted = computed(() => {
  if (view.asTable) return board.rows
  const keys = new Set([
    ...items.value.slice(drawn.value[0], drawn.value[1] + 1).map((item) => item.key),
    chosen.value,
  ])
  return board.rows.filter(({ key }) => keys.has(key))
})
const found = useAsked(() => {
  if (history.periods.length === 0 || wanted.value.length === 0) return null
  const keys = wanted.value.map(({ key }) => key)
  return {
    kind: 'periods' as const,
    periods: history.periods,
    people: board.people.filter((_, index) => keys.includes(board.rows[index]!.key)),
    keys,
    from: view.axis.from,
    until: view.axis.until,
  }
})
/** The band of a device; nothing until it is worked out. */
const segments = computed(
  (before?: ReadonlyMap<string | undefined, readonly Segment[]>) =>
    new Map<string | undefined, readonly Segment[]>(
      found.value?.question.keys?.map((key, index) => [
        key,
        keepEqual(before?.get(key), found.value!.answer[index]!.segments),
      ]),
    ),
)
/** The stretches of each band, as they are drawn. */
const bands = computed(
  (before?: ReadonlyMap<string | undefined, readonly StateRange[]>) =>
    new Map(
      [...segments.value].map(([key, own]) => [
        key,
        keepEqual(before?.get(key), drawnStretches(own, board.ownBlocks)),
      ]),
    ),
)
const NONE: readonly StateRange[] = []
watch(
  () => view.axis.from,
  (from) => void history.reach(from),
)
/** The position of the needle in the bands, in pixels; a needle out of sight stands far beside them. */
const needleAt = computed(() =>
  moment.at < view.axis.from || moment.at > view.axis.until
    ? -9999
    : ((moment.at - view.axis.from) / (view.axis.until - view.axis.from)) * width.value,
)
const sections = computed(() => [...new Set(board.rows.map(({ section }) => section))])
const panel = computed(() => lines.value.find((line) => line.row.key === chosen.value) ?? null)

/** The stretch of a device that is read out: under the pointer, or walked to with the arrow keys. */
const read = ref<{ key: string; at: number } | null>(null)
const readWords = computed(() => {
  const line = lines.value.find(({ row }) => row.key === read.value?.key)
  const segment = segments.value
    .get(line?.row.key)
    ?.find(({ from, until }) => from <= read.value!.at && read.value!.at < until)
  return line && segment ? stretchWords(line.row.name, segment, history.periods, view.axis, place.zone) : ''
})
function choose({ row: { key } }: Line) {
  chosen.value = chosen.value === key ? null : key
}
function point(line: Line, event: MouseEvent) {
  const band = (event.currentTarget as HTMLElement).querySelector('.track')?.getBoundingClientRect()
  const share = band ? (event.clientX - band.left) / band.width : -1
  read.value =
    share < 0 || share >= 1
      ? null
      : { key: line.row.key, at: view.axis.from + share * (view.axis.until - view.axis.from) }
}
/** Left and right walk through the stretches of the row that has the focus. */
function walk(line: Line, by: number) {
  const at = read.value?.key === line.row.key ? read.value.at : moment.at
  const own = segments.value.get(line.row.key) ?? []
  const index = own.findIndex(({ from, until }) => from <= at && at < until)
  const next = own[read.value?.key === line.row.key ? index + by : Math.max(index, 0)]
  if (next) read.value = { key: line.row.key, at: next.from }
}
/** Ctrl and the wheel zoom, Shift and the wheel, or a wheel that goes sideways, pan. */
function onWheel(event: WheelEvent) {
  const sideways = event.shiftKey ? event.deltaY : event.deltaX
  if (event.ctrlKey) {
    const { left, width: whole } = track.value!.getBoundingClientRect()
    view.zoom(
      event.deltaY < 0 ? 0.8 : 1.25,
      view.axis.from + ((event.clientX - left) / whole) * (view.axis.until - view.axis.from),
    )
  } else if (Math.abs(sideways) > (event.shiftKey ? 0 : Math.abs(event.deltaY))) view.pan(sideways / 1000)
  else return
  event.preventDefault()
}

watch(
  () => route.query.device,
  (device) => {
    if (typeof device === 'string') chosen.value = device
  },
)
watch(chosen, (device) => navigateTo({ query: device ? { device } : {} }, { replace: true }))

function onArrow(event: KeyboardEvent, by: number) {
  const rows = [...(event.currentTarget as HTMLElement).querySelectorAll<HTMLElement>('button.row')]
  const next = rows[rows.indexOf(document.activeElement as HTMLElement) + by]
  next?.focus()
  if (next) event.preventDefault()
}
</script>

<template>
  <div class="page" :class="{ open: panel }">
    <section :aria-label="boardText.board">
      <BoardHeadline />
      <RequestList />
      <template v-if="isNarrow">
        <RunningOverrides />
        <PeopleCards />
      </template>
      <SavedActs />
      <p v-if="board.rows.length === 0" class="empty">
        <MarkedText v-slot="{ words }" :text="boardText.noDevicesYet"
          ><NuxtLink to="/devices" class="link">{{ words }}</NuxtLink></MarkedText
        >
      </p>
      <template v-else-if="isAnswered">
        <BoardTools :sections="sections" :shown="shown.length" :all="lines.length" />
        <p v-if="history.showsDraft" class="drafted" role="status">{{ boardText.draftNotLive }}</p>
        <div v-if="!view.asTable" class="under">
          <BandKey />
          <p v-if="!view.comparing" class="read soft" role="status">{{ readWords }}</p>
        </div>
        <p v-if="shown.length === 0" class="empty">
          {{
            view.state === 'blocked' && view.text === '' && view.group === ''
              ? boardText.nobodyIsBlockedThen
              : boardText.noDeviceMatches
          }}
        </p>
        <CompareBoard v-else-if="view.comparing" :lines="shown" :first="chosen" />
        <AnswerTable v-else-if="view.asTable" :lines="shown" :segments="segments" />
        <div
          v-else
          class="board"
          :style="{ '--needle-at': `${needleAt}px` }"
          @keydown.down="onArrow($event, 1)"
          @keydown.up="onArrow($event, -1)"
          @wheel="onWheel"
          @mouseleave="read = null"
        >
          <div ref="track" class="track"><BoardAxis v-if="width > 0" :width="width" /></div>
          <LongList
            v-slot="{ item }"
            :items="items"
            :key-of="(item) => item.key"
            :pinned="chosen"
            :estimate="heightOf"
            :label="boardText.devices"
            @drawn="(first, last) => (drawn = [first, last])"
          >
            <h2 v-if="'section' in item" class="section" :class="{ person: personOf(item.section) }">
              <ActButton
                size="xs"
                variant="ghost"
                class="fold"
                :aria-expanded="!view.folded.has(item.section)"
                @click="view.fold(item.section)"
                >{{ item.section }}
                <small class="soft">{{
                  view.folded.has(item.section) && !personOf(item.section)
                    ? boardText.countBlocked(item.count, item.blocked)
                    : ''
                }}</small></ActButton
              >
              <!-- Of one device the band below is theirs, too. -->
              <PersonRow
                v-if="(personOf(item.section)?.rows.length ?? 0) > 1"
                :line="personOf(item.section)!"
                :width="width"
              />
            </h2>
            <BoardRow
              v-else
              :line="item.line"
              :stretches="bands.get(item.line.row.key) ?? NONE"
              :width="width"
              :chosen="item.line.row.key === chosen"
              @choose="choose"
              @point="point"
              @walk="walk"
            />
          </LongList>
        </div>
      </template>
    </section>
    <DevicePanel
      v-if="panel"
      :key="panel.row.key"
      :row="panel.row"
      :standing="panel.moment"
      :today="segments.get(panel.row.key) ?? []"
      :may-be="panel.mayBe"
      @close="chosen = null"
    />
  </div>
</template>

<style scoped>
.page {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 28px;
  align-items: start;
}
.page.open {
  grid-template-columns: minmax(0, 1fr) 290px;
}
.board {
  position: relative;
  padding-top: 18px;
}
.track {
  position: absolute;
  inset: 0 0 0 348px;
  pointer-events: none;
}
.section {
  font: 600 14.5px var(--font-head);
  padding: 10px 0 2px;
}
.section.person {
  display: grid;
  grid-template-columns: 140px 188px minmax(0, 1fr);
  gap: 10px;
  align-items: end;
}
.fold {
  font: inherit;
  margin-left: -8px;
}
.section small {
  font: 400 13px var(--font-sans);
  margin-left: 6px;
}
.under {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 24px;
}
.read {
  min-height: 19px;
  min-width: 0;
  font-size: 13px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.drafted {
  color: var(--warn);
}
.board :deep(ul) {
  box-shadow: none;
}
.board :deep(li) {
  border: 0;
}
.empty {
  max-width: 46ch;
}
@media (max-width: 760px) {
  .page.open {
    grid-template-columns: minmax(0, 1fr);
  }
  .track {
    left: 0;
  }
}
</style>
