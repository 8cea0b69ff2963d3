<script setup lang="ts">
import { ref, shallowRef } from 'vue'
import type { RecoveryCodes, SecondFactorAnswer, SecondFactorOffer } from '../../../protocol/answers.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { settingsText } from '../../text/settings/settings.ts'
import ActButton from '../common/ActButton.vue'
import CommandBlock from '../common/CommandBlock.vue'
import QrCode from '../common/QrCode.vue'

/** A code of an authenticator app, asked for besides the password. */
const { busy, trouble, attempt } = useRequest()
const state = shallowRef<SecondFactorAnswer | null>(null)
const offer = shallowRef<SecondFactorOffer | null>(null)
const codes = shallowRef<readonly string[]>([])
/** Whether the password is asked for, to turn it on or off. */
const isAsked = ref(false)
const [password, code] = [ref(''), ref('')]
const PATH = '/api/account/second-factor'

async function load() {
  state.value = await callApi<SecondFactorAnswer>('GET', PATH)
}
void attempt(load)
const turn = () =>
  attempt(async () => {
    if (state.value?.isOn) await callApi('DELETE', PATH, { password: password.value })
    else offer.value = await callApi<SecondFactorOffer>('POST', PATH, { password: password.value })
    isAsked.value = false
    password.value = ''
    await load()
  })
const confirm = () =>
  attempt(async () => {
    codes.value = (await callApi<RecoveryCodes>('PUT', PATH, { code: code.value })).codes
    offer.value = null
    code.value = ''
    await load()
  })
</script>

<template>
  <section :aria-label="settingsText.secondFactor">
    <h2>{{ settingsText.secondFactor }}</h2>
    <p class="soft">{{ settingsText.secondFactorWhy }}</p>
    <p v-if="state?.isOn">{{ settingsText.secondFactorOn(state.codesLeft) }}</p>
    <form v-if="isAsked" class="fields" @submit.prevent="turn">
      <UFormField :label="settingsText.yourPasswordToo"
        ><UInput v-model="password" type="password" autocomplete="current-password" class="w-64"
      /></UFormField>
      <ActButton type="submit" :loading="busy" :disabled="password === ''">{{
        state?.isOn ? settingsText.turnOff : settingsText.goOn
      }}</ActButton>
      <ActButton variant="ghost" @click="isAsked = false">{{ settingsText.cancel }}</ActButton>
    </form>
    <ActButton v-else-if="state && !offer" @click="isAsked = true">{{
      state.isOn ? settingsText.turnOff : settingsText.turnOn
    }}</ActButton>
    <div v-if="offer" class="offer">
      <QrCode :text="offer.uri" :alt="settingsText.scanThis" />
      <form class="steps" @submit.prevent="confirm">
        <p>{{ settingsText.scanHow }}</p>
        <CommandBlock :lines="offer.secret" :label="settingsText.secretOfTheApp" />
        <div class="fields">
          <UFormField :label="settingsText.codeOfTheApp"
            ><UInput
              v-model="code"
              autocomplete="one-time-code"
              inputmode="numeric"
              class="w-40"
              maxlength="20"
          /></UFormField>
          <ActButton type="submit" :loading="busy" :disabled="code === ''">{{
            settingsText.turnOn
          }}</ActButton>
          <ActButton variant="ghost" @click="offer = null">{{ settingsText.cancel }}</ActButton>
        </div>
      </form>
    </div>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div v-if="codes.length > 0" role="status">
      <p>{{ settingsText.recoveryHow }}</p>
      <CommandBlock :lines="codes.join('\n')" :label="settingsText.recoveryCodes" />
    </div>
  </section>
</template>

<style scoped>
section {
  margin-top: 22px;
}
.offer {
  display: flex;
  flex-wrap: wrap;
  gap: 18px;
  margin-top: 10px;
}
.steps {
  flex: 1 1 300px;
  min-width: 0;
}
</style>
