<script setup lang="ts">
import { computed, ref } from 'vue'
import { NOTICE_KINDS, NOTICE_NEEDS, type NoticeKind, type OwnNotices } from '../../../protocol/notice.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { useMe } from '../../stores/me.ts'
import { NOTICE_WORDS, noticesText } from '../../text/settings/notices.ts'
import ActButton from '../common/ActButton.vue'

/** The address for one's own notices, and their kinds. */
const me = useMe()
const { busy, trouble, attempt } = useRequest()
const mail = defineModel<string>({ default: '' })
const kinds = ref<NoticeKind[]>([])
const canMail = ref(true)
const saved = ref(false)
const choices = computed(() =>
  NOTICE_KINDS.filter((kind) => me.mayDo(NOTICE_NEEDS[kind])).map((value) => ({
    value,
    label: NOTICE_WORDS[value],
  })),
)
void attempt(async () => {
  const answer = await callApi<OwnNotices>('GET', '/api/notices')
  mail.value = answer.mail
  kinds.value = [...answer.kinds]
  canMail.value = answer.canMail
})
const save = () =>
  attempt(async () => {
    saved.value = false
    await callApi('PUT', '/api/notices', { mail: mail.value.trim(), kinds: kinds.value })
    saved.value = true
  })
</script>

<template>
  <form :aria-label="noticesText.own" @submit.prevent="save">
    <h3>{{ noticesText.own }}</h3>
    <p class="soft">{{ noticesText.ownHow }}</p>
    <p v-if="!canMail" class="soft">
      {{ me.mayDo('administer') ? noticesText.noServer : noticesText.noServerAsk }}
    </p>
    <UCheckboxGroup v-model="kinds" :items="choices" class="kinds" />
    <div class="fields">
      <UFormField :label="noticesText.address"
        ><UInput v-model="mail" type="email" autocomplete="email" class="w-64" maxlength="200"
      /></UFormField>
      <ActButton type="submit" :loading="busy">{{ noticesText.save }}</ActButton>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="saved" role="status">{{ noticesText.saved }}</p>
  </form>
</template>

<style scoped>
.kinds {
  margin: 10px 0 14px;
}
</style>
