<script setup lang="ts">
import { onMounted, reactive, ref } from 'vue'
import { joinForm } from '../../protocol/forms.ts'
import type { JoinAnswer } from '../../protocol/people.ts'
import { ApiError, callApi } from '../composables/useApi.ts'
import { useRequest } from '../composables/useRequest.ts'
import { PAGES_OF } from '../model/address.ts'
import ActButton from '../components/common/ActButton.vue'
import AccountFields from '../components/shell/AccountFields.vue'
import DoorPage from '../components/shell/DoorPage.vue'
import { peopleText } from '../text/settings/people.ts'
import { placesText } from '../text/places.ts'
import { signInText } from '../text/sign-in.ts'

definePageMeta({ standsAlone: true })
useHead({ title: peopleText.joinPage })

/**
 * Somebody who was invited makes an account here, with the code behind the number sign, which no server
 * writes down.
 */
const { busy, trouble, attempt, send } = useRequest()
const invited = ref<JoinAnswer | null>(null)
const form = reactive({ code: '', name: '', password: '', isMine: false, secondCode: '' })
/** Whether the account has a second factor: then its code is asked for. */
const needsCode = ref(false)

onMounted(async () => {
  form.code = location.hash.slice(1)
  if (form.code === '') trouble.value = peopleText.noCode
  else invited.value = await send<JoinAnswer>('POST', '/api/join/look', { code: form.code })
})
async function join() {
  const isIn = await attempt(async () => {
    await callApi('POST', '/api/join', { ...form }).catch((error: unknown) => {
      needsCode.value ||= error instanceof ApiError && error.answer.code === 'code-needed'
      throw error
    })
    return true
  })
  if (isIn) location.assign(`${PAGES_OF}/`)
}
</script>

<template>
  <DoorPage>
    <h1>{{ invited ? peopleText.joinTitle(invited.place) : peopleText.join }}</h1>
    <template v-if="invited">
      <p class="soft">{{ peopleText.joinAs(invited.role) }}</p>
      <UForm :state="form" :schema="joinForm" :validate-on="['input']" class="form" @submit="join">
        <UCheckbox v-model="form.isMine" :label="placesText.isMine" />
        <AccountFields :model-value="form" :is-new="!form.isMine" />
        <UFormField v-if="form.isMine && needsCode" :label="signInText.code" name="secondCode"
          ><UInput v-model="form.secondCode" autocomplete="one-time-code" class="w-full" size="lg"
        /></UFormField>
        <p class="trouble" role="alert">{{ trouble }}</p>
        <ActButton color="primary" variant="solid" type="submit" size="lg" class="px-6" :loading="busy">{{
          peopleText.join
        }}</ActButton>
      </UForm>
    </template>
    <p v-else-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-else class="soft" role="status">{{ signInText.loading }}</p>
  </DoorPage>
</template>
