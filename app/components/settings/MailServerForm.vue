<script setup lang="ts">
import { reactive, ref } from 'vue'
import { MAIL_SECURITIES, type MailSecurity, type MailServerAnswer } from '../../../protocol/notice.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { noticesText, SECURITY_WORDS } from '../../text/settings/notices.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'

/** The mail server that takes notices; a test message goes to one's own address. */
const props = defineProps<{ to: string }>()
const { busy, trouble, attempt } = useRequest()
const said = ref('')
const stored = ref<MailServerAnswer | null>(null)
const form = reactive({
  host: '',
  port: 587,
  security: 'starttls' as MailSecurity,
  user: '',
  password: '',
  from: '',
})
const SECURITIES = MAIL_SECURITIES.map((value) => ({ value, label: SECURITY_WORDS[value] }))

async function load() {
  stored.value = await callApi<MailServerAnswer>('GET', '/api/mail-server')
  const { server } = stored.value
  if (server) Object.assign(form, server, { password: '' })
}
void attempt(load)
/** The server as it is sent; a password that is left empty stays as it is. */
function given() {
  const { host, port, security, user, password, from } = form
  return { host, port, security, user, from, password: password === '' ? null : password }
}
const act = (words: string, work: () => Promise<unknown>) =>
  attempt(async () => {
    said.value = ''
    await work()
    said.value = words
  })
const save = () =>
  act(noticesText.serverSaved, async () => {
    await callApi('PUT', '/api/mail-server', { server: given() })
    await load()
  })
const remove = () =>
  act('', async () => {
    await callApi('PUT', '/api/mail-server', { server: null })
    await load()
  })
const test = () =>
  act(noticesText.testTo(props.to), () =>
    callApi('POST', '/api/mail-server', { server: given(), to: props.to }),
  )
</script>

<template>
  <form :aria-label="noticesText.server" @submit.prevent="save">
    <h3>{{ noticesText.server }}</h3>
    <p v-if="stored?.trouble" class="trouble" role="status">{{ noticesText.lastTrouble(stored.trouble) }}</p>
    <div class="fields">
      <UFormField :label="noticesText.host"
        ><UInput v-model="form.host" class="w-60" :placeholder="noticesText.hostExample" maxlength="253"
      /></UFormField>
      <UFormField :label="noticesText.port"
        ><UInput v-model.number="form.port" type="number" min="1" max="65535" class="w-24"
      /></UFormField>
      <UFormField :label="noticesText.security"
        ><SelectField v-model="form.security" :label="noticesText.security" :items="SECURITIES"
      /></UFormField>
      <UFormField :label="noticesText.user"
        ><UInput v-model="form.user" class="w-52" autocomplete="off" maxlength="200"
      /></UFormField>
      <UFormField :label="noticesText.password"
        ><UInput
          v-model="form.password"
          type="password"
          class="w-52"
          autocomplete="new-password"
          :placeholder="stored?.server?.hasPassword ? noticesText.passwordStored : ''"
      /></UFormField>
      <UFormField :label="noticesText.from"
        ><UInput v-model="form.from" type="email" class="w-64" :placeholder="noticesText.fromExample"
      /></UFormField>
    </div>
    <p v-if="to === ''" class="soft">{{ noticesText.testNeeds }}</p>
    <div class="fields">
      <ActButton type="submit" :loading="busy">{{ noticesText.save }}</ActButton>
      <ActButton :disabled="to === '' || busy" @click="test">{{ noticesText.test }}</ActButton>
      <ActButton v-if="stored?.server" variant="ghost" color="error" :disabled="busy" @click="remove">{{
        noticesText.removeServer
      }}</ActButton>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-else-if="said" role="status">{{ said }}</p>
  </form>
</template>

<style scoped>
form {
  margin-top: 22px;
}
</style>
