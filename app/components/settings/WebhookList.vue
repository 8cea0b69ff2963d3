<script setup lang="ts">
import { computed, ref } from 'vue'
import {
  NOTICE_KINDS,
  type MadeWebhook,
  type NoticeKind,
  type WebhookAnswer,
} from '../../../protocol/notice.ts'
import { callApi } from '../../composables/useApi.ts'
import { useReceivers } from '../../composables/useReceivers.ts'
import { NOTICE_WORDS, noticesText } from '../../text/settings/notices.ts'
import CommandBlock from '../common/CommandBlock.vue'
import ManyField from '../common/ManyField.vue'
import ReceiverList from './ReceiverList.vue'

/** The programs that get notices as JSON. */
const { answer, busy, trouble, said, say, test, remove } = useReceivers<WebhookAnswer>('/api/webhooks')
const url = ref('')
const kinds = ref<NoticeKind[]>(['request', 'alarm'])
const secret = ref('')
const CHOICES = NOTICE_KINDS.map((value) => ({ value, label: NOTICE_WORDS[value] }))

const add = () =>
  say('', async () => {
    const made = await callApi<MadeWebhook>('POST', '/api/webhooks', { url: url.value, kinds: kinds.value })
    secret.value = made.secret
    url.value = ''
  })
const drop = (id: string) => {
  secret.value = ''
  return remove(id)
}
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
  <ReceiverList
    :title="noticesText.hooks"
    :how="noticesText.hooksHow"
    :add-label="noticesText.add"
    :items="items"
    :busy="busy"
    :trouble="trouble"
    :said="said"
    @add="add"
    @test="(id) => test(id, (hook) => noticesText.hookWorks(hook.url))"
    @remove="drop"
  >
    <UFormField :label="noticesText.url"
      ><UInput v-model="url" class="w-72" :placeholder="noticesText.urlExample" maxlength="1000"
    /></UFormField>
    <UFormField :label="noticesText.kinds"
      ><ManyField v-model="kinds" :label="noticesText.kinds" :items="CHOICES" class="w-72"
    /></UFormField>
    <template #below>
      <div v-if="secret" role="status">
        <p>{{ noticesText.secretHow }}</p>
        <CommandBlock :lines="secret" :label="noticesText.secret" />
      </div>
    </template>
  </ReceiverList>
</template>
