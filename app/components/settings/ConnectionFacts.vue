<script setup lang="ts">
import { shallowRef } from 'vue'
import type { CertificateAnswer } from '../../../protocol/answers.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { connectionText } from '../../text/settings/connection.ts'
import MarkedText from '../common/MarkedText.vue'

/** Whether what is typed here is encrypted on its way, and by which certificate. */
const { trouble, attempt } = useRequest()
const answer = shallowRef<CertificateAnswer | null>(null)
void attempt(async () => (answer.value = await callApi<CertificateAnswer>('GET', '/api/certificate')))
const { protocol, hostname } = location

/** A fingerprint in parts of eight pairs, which are compared one by one. */
const partsOf = (fingerprint: string) => [0, 24, 48, 72].map((at) => fingerprint.slice(at, at + 23))
</script>

<template>
  <h2>{{ connectionText.connection }}</h2>
  <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  <p v-else-if="answer" class="soft">
    <MarkedText v-slot="{ words }" :text="connectionText.how(answer.certificate, protocol, hostname)"
      ><code>{{ words }}</code></MarkedText
    >
  </p>
  <p v-if="answer?.certificate?.isOwn">
    <code v-for="part in partsOf(answer.certificate.fingerprint)" :key="part" class="part">{{ part }}</code>
  </p>
</template>

<style scoped>
p {
  max-width: 76ch;
}
.part {
  display: inline-block;
  margin-right: 12px;
}
h2 {
  margin-top: 22px;
}
</style>
