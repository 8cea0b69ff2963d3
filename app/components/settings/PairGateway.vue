<script setup lang="ts">
import { useIntervalFn } from '@vueuse/core'
import { reactive, ref } from 'vue'
import type { PairingAnswer } from '../../../protocol/gateway/gateway.ts'
import { pairGatewayForm } from '../../../protocol/forms.ts'
import { callApi } from '../../composables/useApi.ts'
import { useListed } from '../../composables/useListed.ts'
import { usePlace } from '../../stores/place.ts'
import { pairingText } from '../../text/settings/pairing.ts'
import { instantWords } from '../../text/time.ts'
import ActButton from '../common/ActButton.vue'
import CommandBlock from '../common/CommandBlock.vue'

/** Pairs a gateway by a code that one of both shows, and the other is told. */
const place = usePlace()
const PATH = '/api/pairing'
const { answer, busy, trouble, act } = useListed<PairingAnswer | null>(PATH)
const form = reactive({ address: '', code: '' })
const pair = () =>
  act(() => callApi('POST', PATH, { address: form.address, code: form.code.trim().toUpperCase() }))
const show = () => act(() => callApi('POST', PATH, { address: form.address, code: null }))
const isAsking = ref(false)
const end = () =>
  act(async () => {
    isAsking.value = false
    await callApi('DELETE', PATH)
  })
/** The milliseconds between two questions whether the code was typed at the gateway. */
const AGAIN_MS = 2000
useIntervalFn(() => {
  if (answer.value?.waiting && !busy.value) void act()
}, AGAIN_MS)
const HOW = [
  "echo 'OPTIONS=--lan br0 --listen tls:192.168.77.1:3310' >> /etc/kairostat/gateway.conf",
  'systemctl restart kairostat-gateway',
  'kairostat gateway pair --state /var/lib/kairostat',
].join('\n')
</script>

<template>
  <div v-if="answer || trouble" role="group" :aria-label="pairingText.title" class="leaf pairing">
    <h3>{{ pairingText.title }}</h3>
    <template v-if="answer?.address">
      <p role="status">
        <b>{{ pairingText.paired(answer.address) }}</b>
      </p>
      <p v-if="isAsking">
        {{ pairingText.disconnectEffect }}
        <span class="acts">
          <ActButton color="error" :loading="busy" @click="end">{{ pairingText.reallyDisconnect }}</ActButton>
          <ActButton variant="ghost" @click="isAsking = false">{{ pairingText.cancel }}</ActButton>
        </span>
      </p>
      <ActButton v-else @click="isAsking = true">{{ pairingText.disconnect }}</ActButton>
    </template>
    <template v-else-if="answer?.waiting">
      <p role="status">
        {{ pairingText.waiting(answer.waiting.address, instantWords(answer.waiting.until, place.zone)) }}
      </p>
      <CommandBlock :lines="pairingText.command(answer.waiting.code)" :label="pairingText.commandTitle" />
      <ActButton @click="end">{{ pairingText.stopWaiting }}</ActButton>
    </template>
    <template v-else>
      <p class="soft">{{ pairingText.what }}</p>
      <p class="soft">{{ pairingText.listenAndShow }}</p>
      <CommandBlock :lines="HOW" :label="pairingText.onTheGateway" />
      <UForm :state="form" :schema="pairGatewayForm" :validate-on="[]" class="fields" @submit="pair">
        <UFormField :label="pairingText.address" name="address"
          ><UInput v-model="form.address" class="w-56" :placeholder="pairingText.addressExample"
        /></UFormField>
        <UFormField :label="pairingText.code" name="code"
          ><UInput
            v-model="form.code"
            class="w-36"
            autocomplete="off"
            spellcheck="false"
            :placeholder="pairingText.codeExample"
        /></UFormField>
        <ActButton type="submit" color="primary" :loading="busy" :disabled="form.code.trim() === ''">{{
          pairingText.pair
        }}</ActButton>
        <ActButton variant="ghost" :disabled="busy || form.address.trim() === ''" @click="show">{{
          pairingText.orHere
        }}</ActButton>
      </UForm>
    </template>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.pairing {
  padding: 16px 20px;
  margin-top: 12px;
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  gap: 8px;
}
.acts {
  display: flex;
  gap: 8px;
  margin-top: 8px;
}
</style>
