<script setup lang="ts">
import { onMounted, reactive, ref } from 'vue'
import { joinForm } from '../../protocol/forms.ts'
import type { JoinAnswer } from '../../protocol/people.ts'
import { useRequest } from '../composables/useRequest.ts'
import AccountFields from '../components/shell/AccountFields.vue'
import DoorPage from '../components/shell/DoorPage.vue'
import { peopleText } from '../text/people.ts'
import { signInText } from '../text/sign-in.ts'

definePageMeta({ standsAlone: true })
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
        <AccountFields :model-value="form" is-new />
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
