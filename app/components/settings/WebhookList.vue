<script setup lang="ts">
import { ref, shallowRef } from 'vue'
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
const test = (hook: WebhookAnswer) =>
  act(async () => {
    await callApi('POST', `/api/webhooks/${hook.id}`)
    said.value = noticesText.hookWorks(hook.url)
  })
const remove = (hook: WebhookAnswer) =>
  act(async () => {
    secret.value = ''
    await callApi('DELETE', `/api/webhooks/${hook.id}`)
  })
</script>

<template>
  <section :aria-label="noticesText.hooks">
    <h3>{{ noticesText.hooks }}</h3>
    <p class="soft">{{ noticesText.hooksHow }}</p>
    <ul v-if="hooks.length > 0" class="lines">
      <li v-for="hook in hooks" :key="hook.id">
        <span class="url">
          {{ hook.url }}
          <small class="soft">{{ hook.kinds.map((kind) => NOTICE_WORDS[kind]).join(', ') }}</small>
          <small v-if="hook.trouble" class="trouble">{{
            noticesText.waiting(hook.waiting, hook.trouble)
          }}</small>
        </span>
        <span class="acts">
          <UButton :disabled="busy" :aria-label="noticesText.testOne(hook.url)" @click="test(hook)">{{
            noticesText.testHook
          }}</UButton>
          <UButton :disabled="busy" :aria-label="noticesText.deleteOne(hook.url)" @click="remove(hook)">{{
            noticesText.delete
          }}</UButton>
        </span>
      </li>
    </ul>
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
.url {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
}
.url small {
  display: block;
  font-size: 13px;
}
.acts {
  display: flex;
  gap: 8px;
}
</style>
