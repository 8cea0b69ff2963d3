<script setup lang="ts">
import { onMounted, reactive, ref } from 'vue'
import type { SessionAnswer } from '../../protocol/answers.ts'
import { pagesOf } from '../../protocol/places.ts'
import { setUpForm, signInForm } from '../../protocol/forms.ts'
import { ApiError, callApi, wordsOf } from '../composables/useApi.ts'
import { PAGES_OF } from '../model/address.ts'
import ActButton from '../components/common/ActButton.vue'
import AccountFields from '../components/shell/AccountFields.vue'
import DoorPage from '../components/shell/DoorPage.vue'
import { signInText } from '../text/sign-in.ts'

definePageMeta({ standsAlone: true })
useHead({ title: signInText.pageTitle })

const route = useRoute()
const session = ref<SessionAnswer | null>(null)
const trouble = ref('')
const busy = ref(false)
/** Whether the account has a second factor: then its code is asked for. */
const needsCode = ref(false)
const form = reactive({
  code: '',
  name: '',
  password: '',
  place: { name: '', timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone },
})
const zones = Intl.supportedValuesOf('timeZone')

onMounted(async () => {
  try {
    session.value = await callApi('GET', '/api/session')
  } catch (error) {
    trouble.value = wordsOf(error)
  }
})

async function send() {
  busy.value = true
  trouble.value = ''
  try {
    const { code, name, password, place } = form
    if (session.value?.setUp)
      await callApi('POST', '/api/session', { name, password, ...(needsCode.value && { code }) })
    else await callApi('POST', '/api/setup', { code, name, password, place })
    const { role, places } = await callApi<SessionAnswer>('GET', '/api/session')
    if (role === null && places[0]) return location.assign(`${pagesOf(places[0].id)}/`)
    const to = String(route.query.to ?? '/')
    // Only a path of this application: an address from elsewhere in the query must not lead away.
    location.assign(PAGES_OF + (/^\/(?![/\\])/.test(to) ? to : '/'))
  } catch (error) {
    const isAsked = error instanceof ApiError && error.answer.code === 'code-needed'
    if (isAsked) needsCode.value = true
    trouble.value = isAsked ? '' : wordsOf(error)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <DoorPage>
    <template v-if="session">
      <h1>{{ session.setUp ? signInText.signIn : signInText.setUpKairostat }}</h1>
      <p class="soft">{{ session.setUp ? signInText.whatItDoes : signInText.setUpHow }}</p>
      <UForm
        :state="form"
        :schema="session.setUp ? signInForm.noUnknown(false) : setUpForm"
        :validate-on="['input']"
        class="form"
        @submit="send"
      >
        <UFormField
          v-if="!session.setUp"
          :label="signInText.setUpCode"
          name="code"
          :help="signInText.setUpCodeWhere"
          ><UInput
            v-model="form.code"
            :placeholder="signInText.abcdEfgh"
            autocomplete="off"
            class="w-full"
            size="lg"
        /></UFormField>
        <AccountFields :model-value="form" :is-new="!session.setUp" />
        <UFormField v-if="needsCode" :label="signInText.code" name="code" :help="signInText.codeHow"
          ><UInput
            v-model="form.code"
            autocomplete="one-time-code"
            inputmode="text"
            autofocus
            class="w-full"
            size="lg"
        /></UFormField>
        <template v-if="!session.setUp">
          <UFormField :label="signInText.nameOfYourNetwork" name="place.name"
            ><UInput
              v-model="form.place.name"
              :placeholder="signInText.networkExample"
              class="w-full"
              size="lg"
          /></UFormField>
          <UFormField :label="signInText.timeZone" name="place.timeZone" :help="signInText.timeZoneWhy"
            ><USelectMenu v-model="form.place.timeZone" :items="zones" class="w-full" size="lg"
          /></UFormField>
        </template>
        <p class="trouble" role="alert">{{ trouble }}</p>
        <ActButton color="primary" variant="solid" type="submit" size="lg" class="px-6" :loading="busy">{{
          session.setUp ? signInText.signIn : signInText.setUp
        }}</ActButton>
      </UForm>
    </template>
    <p v-else class="soft" role="status">{{ trouble || signInText.loading }}</p>
  </DoorPage>
</template>
