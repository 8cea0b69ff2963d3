<script setup lang="ts">
import { onMounted, reactive, ref } from 'vue'
import type { SessionAnswer } from '../../shared/answers.ts'
import { setUpForm, signInForm } from '../../shared/forms.ts'
import { callApi, wordsOf } from '../composables/useApi.ts'

definePageMeta({ layout: false })
useHead({ title: 'Sign in · Kairostat' })

const route = useRoute()
const session = ref<SessionAnswer | null>(null)
const trouble = ref('')
const busy = ref(false)
const form = reactive({ code: '', name: '', password: '', place: { name: '', timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone } })
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
  <main class="door">
    <div class="mark display">Kairostat</div>
    <template v-if="session">
      <h1>{{ session.setUp ? 'Sign in' : 'Set up Kairostat' }}</h1>
      <p class="soft">{{ session.setUp ? 'Control which devices can use the internet, and when.' : 'Choose the administrator’s name and password, and a name for your network.' }}</p>
      <UForm :state="form" :schema="session.setUp ? signInForm.noUnknown(false) : setUpForm" :validate-on="['input']" class="form" @submit="send">
        <UFormField v-if="!session.setUp" label="Set-up code" name="code" help="Shown on the console where Kairostat was started."><UInput v-model="form.code" placeholder="ABCD-EFGH" autocomplete="off" class="w-full" size="lg" /></UFormField>
        <UFormField label="Name" name="name"><UInput v-model="form.name" autocomplete="username" autofocus class="w-full" size="lg" /></UFormField>
        <UFormField label="Password" name="password"><UInput v-model="form.password" type="password" :autocomplete="session.setUp ? 'current-password' : 'new-password'" class="w-full" size="lg" /></UFormField>
        <template v-if="!session.setUp">
          <UFormField label="Name of your network" name="place.name"><UInput v-model="form.place.name" placeholder="Our house" class="w-full" size="lg" /></UFormField>
          <UFormField label="Time zone" name="place.timeZone" help="Schedules follow it."><USelectMenu v-model="form.place.timeZone" :items="zones" class="w-full" size="lg" /></UFormField>
        </template>
        <p class="trouble" role="alert">{{ trouble }}</p>
        <UButton color="primary" variant="solid" type="submit" size="lg" class="px-6" :loading="busy">{{ session.setUp ? 'Sign in' : 'Set up' }}</UButton>
      </UForm>
    </template>
    <p v-else class="soft" role="status">{{ trouble || 'Loading…' }}</p>
  </main>
</template>

<style scoped>
.door { max-width: 380px; margin: 12vh auto 0; padding: 0 20px; }
.mark { font-size: 25px; font-weight: 500; margin-bottom: 28px; }
h1 { margin-bottom: 6px; }
.form { display: flex; flex-direction: column; gap: 16px; margin-top: 22px; align-items: stretch; }
.form > :last-child { align-self: flex-start; }
.trouble { color: var(--danger); min-height: 19px; }
</style>
