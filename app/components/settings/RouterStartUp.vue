<script setup lang="ts">
import { ref, shallowRef } from 'vue'
import type { StartUpAnswer } from '../../../protocol/router.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { routerText } from '../../text/settings/router.ts'
import ActButton from '../common/ActButton.vue'
import CommandBlock from '../common/CommandBlock.vue'

/**
 * The start-up of the router: the file that loads the last rules is shown, and written once that
 * is said.
 */
const { busy, trouble, attempt, send } = useRequest()
const answer = shallowRef<StartUpAnswer | null>(null)
void attempt(async () => (answer.value = await callApi<StartUpAnswer>('GET', '/api/router/start-up')))
const isShown = ref(false)
async function change(method: 'PUT' | 'DELETE') {
  const changed = await send<StartUpAnswer>(method, '/api/router/start-up')
  if (!changed) return
  answer.value = changed
  isShown.value = false
}
</script>

<template>
  <div role="group" :aria-label="routerText.startUp" class="start-up">
    <h4>{{ routerText.startUp }}</h4>
    <template v-if="answer">
      <p class="soft">{{ routerText.startUpWhat(answer.isKept) }}</p>
      <ActButton v-if="answer.isKept" :loading="busy" @click="change('DELETE')">{{
        routerText.deleteStartUp
      }}</ActButton>
      <ActButton v-else-if="!isShown" @click="isShown = true">{{ routerText.showStartUp }}</ActButton>
      <template v-else>
        <template v-for="file in answer.files" :key="file.path">
          <p>{{ routerText.startUpFile(file.path) }}</p>
          <pre tabindex="0" :aria-label="file.path">{{ file.text }}</pre>
        </template>
        <template v-if="trouble">
          <p class="trouble" role="alert">{{ trouble }}</p>
          <p>{{ routerText.writeYourself }}</p>
          <CommandBlock :lines="answer.command" :label="routerText.onTheRouter" />
        </template>
        <p class="acts">
          <ActButton color="primary" variant="solid" :loading="busy" @click="change('PUT')">{{
            routerText.writeStartUp
          }}</ActButton>
          <ActButton variant="ghost" @click="isShown = false">{{ routerText.cancel }}</ActButton>
        </p>
      </template>
    </template>
    <p v-if="trouble && !isShown" class="trouble" role="alert">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.start-up {
  display: grid;
  gap: 8px;
  justify-items: start;
  max-width: 76ch;
}
h4 {
  font-weight: 600;
}
pre {
  max-width: 100%;
  overflow-x: auto;
  border: 1px solid var(--hair);
  border-radius: 8px;
  padding: 8px 12px;
  font-size: 13px;
}
.acts {
  display: flex;
  gap: 8px;
}
</style>
