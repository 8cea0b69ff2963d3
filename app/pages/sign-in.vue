<script setup lang="ts">
import { onMounted, reactive, ref } from 'vue'
import type { SessionAnswer } from '../../protocol/answers.ts'
import { PASSWORD_LENGTH, setUpForm, signInForm } from '../../protocol/forms.ts'
import { callApi, wordsOf } from '../composables/useApi.ts'
import DoorPage from '../components/shell/DoorPage.vue'
import { signInText } from '../text/sign-in.ts'

definePageMeta({ layout: false })
useHead({ title: signInText.pageTitle })

const route = useRoute()
const session = ref<SessionAnswer | null>(null)
const trouble = ref('')
const busy = ref(false)
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
    if (session.value?.setUp) await callApi('POST', '/api/session', { name, password })
    else await callApi('POST', '/api/setup', { code, name, password, place })
    const to = String(route.query.to ?? '/')
    // Only a path of this application: an address from elsewhere in the query must not lead away.
    await navigateTo(/^\/(?![/\\])/.test(to) ? to : '/')
  } catch (error) {
    trouble.value = wordsOf(error)
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
        <UFormField :label="signInText.name" name="name"
          ><UInput v-model="form.name" autocomplete="username" autofocus class="w-full" size="lg"
        /></UFormField>
        <UFormField
          :label="signInText.password"
          name="password"
          :help="session.setUp ? undefined : signInText.passwordHow(PASSWORD_LENGTH)"
          ><UInput
            v-model="form.password"
            type="password"
            :autocomplete="session.setUp ? 'current-password' : 'new-password'"
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
        <UButton color="primary" variant="solid" type="submit" size="lg" class="px-6" :loading="busy">{{
          session.setUp ? signInText.signIn : signInText.setUp
        }}</UButton>
      </UForm>
    </template>
    <p v-else class="soft" role="status">{{ trouble || signInText.loading }}</p>
  </DoorPage>
</template>
