<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import { readSpoken } from '../../../core/time/spoken.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { clockOf, dateWords } from '../../text/time.ts'
import { shellText } from '../../text/shell.ts'

const [place, moment] = [usePlace(), useMoment()]
const typing = ref(false)
const text = ref('')
const fault = ref(false)
const field = ref<HTMLInputElement | null>(null)
const label = computed(() => `${dateWords(moment.at, place.zone)}, ${clockOf(moment.at, place.zone)}`)

async function ask() {
  typing.value = true
  fault.value = false
  text.value = ''
  await nextTick()
  field.value?.focus()
}
function say() {
  const at = readSpoken(text.value, place.zone, moment.now)
  fault.value = at === null
  if (at === null) return
  typing.value = false
  if (text.value.trim().toLowerCase() === 'now') moment.back()
  else moment.put(at)
}
defineExpose({ ask })
</script>

<template>
  <div class="speaker">
    <form v-if="typing" @submit.prevent="say">
      <input
        ref="field"
        v-model="text"
        :aria-label="shellText.aMomentToLookAt"
        :placeholder="shellText.momentExample"
        :aria-invalid="fault"
        @keydown.esc="typing = false"
        @blur="text === '' && (typing = false)"
      />
      <span v-if="fault" role="alert">{{ shellText.notAMoment }}</span>
    </form>
    <template v-else>
      <button type="button" class="label" :title="shellText.typeAMoment" @click="ask">
        {{ moment.isNow ? shellText.nowAnd : '' }}{{ label }}
      </button>
      <button v-if="!moment.isNow" type="button" class="back" @click="moment.back()">
        {{ shellText.backToNow }} <kbd>n</kbd>
      </button>
    </template>
  </div>
</template>

<style scoped>
.speaker {
  display: flex;
  align-items: center;
  gap: 10px;
  min-height: 34px;
}
.label {
  font-weight: 600;
  font-size: 13.5px;
  color: var(--needle-ink);
  background: var(--needle);
  border-radius: 6px;
  padding: 2px 10px;
  cursor: pointer;
  white-space: nowrap;
}
.back {
  color: var(--soft);
  cursor: pointer;
  white-space: nowrap;
  font-size: 13.5px;
}
.back:hover {
  color: var(--ink);
}
kbd {
  font: inherit;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 0 5px;
  margin-left: 2px;
}
input {
  width: 210px;
}
span {
  color: var(--danger);
  margin-left: 8px;
}
@media (max-width: 760px) {
  kbd {
    display: none;
  }
  .label,
  .back {
    min-height: 44px;
  }
}
</style>
