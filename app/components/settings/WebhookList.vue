<script setup lang="ts">
import { computed, ref } from 'vue'
import {
  NOTICE_KINDS,
  type MadeWebhook,
  type NoticeKind,
  type WebhookAnswer,
} from '../../../protocol/notice.ts'
import { callApi } from '../../composables/useApi.ts'
import { useListed } from '../../composables/useListed.ts'
import { NOTICE_WORDS, noticesText } from '../../text/settings/notices.ts'
import CommandBlock from '../common/CommandBlock.vue'
import ReceiverList from './ReceiverList.vue'

/** The programs that get notices as JSON. */
const { answer, busy, trouble, act } = useListed<readonly WebhookAnswer[]>('/api/webhooks')
const url = ref('')
const kinds = ref<NoticeKind[]>(['request', 'alarm'])
const secret = ref('')
const said = ref('')
const CHOICES = NOTICE_KINDS.map((value) => ({ value, label: NOTICE_WORDS[value] }))

const add = () =>
  act(async () => {
    said.value = ''
    const made = await callApi<MadeWebhook>('POST', '/api/webhooks', { url: url.value, kinds: kinds.value })
    secret.value = made.secret
    url.value = ''
  })
const test = (id: string) =>
  act(async () => {
    said.value = ''
    await callApi('POST', `/api/webhooks/${id}`)
    said.value = noticesText.hookWorks(answer.value!.find((hook) => hook.id === id)!.url)
  })
const remove = (id: string) =>
  act(async () => {
    secret.value = said.value = ''
    await callApi('DELETE', `/api/webhooks/${id}`)
  })
const items = computed(() =>
  (answer.value ?? []).map(({ id, url: name, kinds, waiting, trouble }) => ({
    id,
    name,
    facts: kinds.map((kind) => NOTICE_WORDS[kind]).join(', '),
    trouble: trouble && noticesText.waiting(waiting, trouble),
  })),
)
</script>

<template>
  <section :aria-label="noticesText.hooks">
    <h3>{{ noticesText.hooks }}</h3>
    <p class="soft">{{ noticesText.hooksHow }}</p>
    <ReceiverList :items="items" :busy="busy" @test="test" @remove="remove" />
    <form class="fields" @submit.prevent="add">
      <UFormField :label="noticesText.url"
        ><UInput v-model="url" class="w-72" :placeholder="noticesText.urlExample" maxlength="1000"
      /></UFormField>
      <UFormField :label="noticesText.kinds"
        ><USelectMenu
          v-model="kinds"
          multiple
          value-key="value"
          :items="CHOICES"
          :aria-label="noticesText.kinds"
          class="w-72"
      /></UFormField>
      <UButton type="submit" :loading="busy">{{ noticesText.add }}</UButton>
    </form>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-else-if="said" role="status">{{ said }}</p>
    <div v-if="secret" role="status">
      <p>{{ noticesText.secretHow }}</p>
      <CommandBlock :lines="secret" :label="noticesText.secret" />
    </div>
  </section>
</template>

<style scoped>
section {
  margin-top: 22px;
}
</style>
