<script setup lang="ts">
import { onMounted, reactive, ref } from 'vue'
import { joinForm, PASSWORD_LENGTH } from '../../protocol/forms.ts'
import type { JoinAnswer } from '../../protocol/people.ts'
import { useRequest } from '../composables/useRequest.ts'
import DoorPage from '../components/shell/DoorPage.vue'
import { peopleText } from '../text/people.ts'
import { signInText } from '../text/sign-in.ts'

definePageMeta({ layout: false })
useHead({ title: peopleText.joinPage })

/** Who was invited makes an account here, with the code behind the number sign, which no server writes down. */
const { busy, trouble, send } = useRequest()
const invited = ref<JoinAnswer | null>(null)
const form = reactive({ code: '', name: '', password: '' })

onMounted(async () => {
  form.code = location.hash.slice(1)
  if (form.code === '') trouble.value = peopleText.noCode
  else invited.value = await send<JoinAnswer>('POST', '/api/join/look', { code: form.code })
})
async function join() {
  if (await send('POST', '/api/join', { ...form })) await navigateTo('/')
}
</script>

<template>
  <DoorPage>
    <h1>{{ invited ? peopleText.joinTitle(invited.place) : peopleText.join }}</h1>
    <template v-if="invited">
      <p class="soft">{{ peopleText.joinAs(invited.role) }}</p>
      <UForm :state="form" :schema="joinForm" :validate-on="['input']" class="form" @submit="join">
        <UFormField :label="signInText.name" name="name"
          ><UInput v-model="form.name" autocomplete="username" autofocus class="w-full" size="lg"
        /></UFormField>
        <UFormField
          :label="signInText.password"
          name="password"
          :help="signInText.passwordHow(PASSWORD_LENGTH)"
          ><UInput
            v-model="form.password"
            type="password"
            autocomplete="new-password"
            class="w-full"
            size="lg"
        /></UFormField>
        <p class="trouble" role="alert">{{ trouble }}</p>
        <UButton color="primary" variant="solid" type="submit" size="lg" class="px-6" :loading="busy">{{
          peopleText.join
        }}</UButton>
      </UForm>
    </template>
    <p v-else-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-else class="soft" role="status">{{ signInText.loading }}</p>
  </DoorPage>
</template>
