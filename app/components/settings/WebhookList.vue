<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import {
  NOTICE_KINDS,
  type MadeWebhook,
  type NoticeKind,
  type WebhookAnswer,
} from '../../../protocol/notice.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { NOTICE_WORDS, noticesText } from '../../text/notices.ts'
import CommandBlock from '../shell/CommandBlock.vue'
import ReceiverList from './ReceiverList.vue'

/** The programs that get notices as JSON. */
const { busy, trouble, attempt } = useRequest()
const hooks = shallowRef<readonly WebhookAnswer[]>([])
const url = ref('')
const kinds = ref<NoticeKind[]>(['request', 'alarm'])
const secret = ref('')
const said = ref('')
const CHOICES = NOTICE_KINDS.map((value) => ({ value, label: NOTICE_WORDS[value] }))

/** Does something, and shows which there are then. */
const act = (work: () => Promise<unknown> = () => Promise.resolve()) =>
  attempt(async () => {
    said.value = ''
    await work()
    hooks.value = await callApi<WebhookAnswer[]>('GET', '/api/webhooks')
  })
void act()
const add = () =>
  act(async () => {
    const made = await callApi<MadeWebhook>('POST', '/api/webhooks', { url: url.value, kinds: kinds.value })
    secret.value = made.secret
    url.value = ''
  })
const test = (id: string) =>
  act(async () => {
    await callApi('POST', `/api/webhooks/${id}`)
    said.value = noticesText.hookWorks(hooks.value.find((hook) => hook.id === id)!.url)
  })
const remove = (id: string) =>
  act(async () => {
    secret.value = ''
    await callApi('DELETE', `/api/webhooks/${id}`)
  })
const items = computed(() =>
  hooks.value.map(({ id, url: name, kinds, waiting, trouble }) => ({
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
