<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue'
import {
  LOG_KINDS,
  LOG_PORTS,
  LOG_TRANSPORTS,
  type LogKind,
  type LogServerAnswer,
  type LogTransport,
} from '../../../protocol/syslog.ts'
import { callApi } from '../../composables/useApi.ts'
import { useListed } from '../../composables/useListed.ts'
import { LOG_WORDS, logText, TRANSPORT_WORDS } from '../../text/settings/log-servers.ts'
import SelectField from '../common/SelectField.vue'
import ReceiverList from './ReceiverList.vue'

/** The servers that take what happens as messages of syslog. */
const { answer, busy, trouble, act } = useListed<readonly LogServerAnswer[]>('/api/log-servers')
const said = ref('')
const empty = () => ({
  host: '',
  port: LOG_PORTS.tls,
  transport: 'tls' as LogTransport,
  authority: '',
  kinds: ['alarm', 'audit'] as LogKind[],
})
const form = reactive(empty())
const KINDS = LOG_KINDS.map((value) => ({ value, label: LOG_WORDS[value] }))
const TRANSPORTS = LOG_TRANSPORTS.map((value) => ({ value, label: TRANSPORT_WORDS[value] }))
watch(
  () => form.transport,
  (transport, before) => {
    if (form.port === LOG_PORTS[before]) form.port = LOG_PORTS[transport]
  },
)
const nameOf = ({ host, port }: { host: string; port: number }) => `${host}:${port}`

/** Does something, and says so. */
async function say(words: string, work: () => Promise<unknown>) {
  said.value = ''
  if (await act(work)) said.value = words
}
const add = () =>
  say(logText.added(nameOf(form)), async () => {
    const authority = form.transport === 'tls' ? form.authority : ''
    await callApi('POST', '/api/log-servers', { ...form, authority })
    Object.assign(form, empty())
  })
const test = (id: string) => {
  const server = answer.value!.find((one) => one.id === id)!
  return say(logText.tested(nameOf(server), server.transport !== 'udp'), () =>
    callApi('POST', `/api/log-servers/${id}`),
  )
}
const remove = (id: string) => say('', () => callApi('DELETE', `/api/log-servers/${id}`))
const items = computed(() =>
  (answer.value ?? []).map((server) => ({
    id: server.id,
    name: nameOf(server),
    facts: [TRANSPORT_WORDS[server.transport], server.kinds.map((kind) => LOG_WORDS[kind]).join(', ')].join(
      ' · ',
    ),
    trouble: server.trouble && logText.trouble(server.trouble),
  })),
)
</script>

<template>
  <section :aria-label="logText.title">
    <h3>{{ logText.title }}</h3>
    <p class="soft">{{ logText.how }}</p>
    <ReceiverList :items="items" :busy="busy" @test="test" @remove="remove" />
    <form class="fields" :aria-label="logText.add" @submit.prevent="add">
      <UFormField :label="logText.host"
        ><UInput v-model="form.host" class="w-60" :placeholder="logText.hostExample" maxlength="253"
      /></UFormField>
      <UFormField :label="logText.transport"
        ><SelectField v-model="form.transport" :label="logText.transport" :items="TRANSPORTS"
      /></UFormField>
      <UFormField :label="logText.port"
        ><UInput v-model.number="form.port" type="number" min="1" max="65535" class="w-24"
      /></UFormField>
      <UFormField :label="logText.kinds"
        ><USelectMenu
          v-model="form.kinds"
          multiple
          value-key="value"
          :items="KINDS"
          :aria-label="logText.kinds"
          class="w-72"
      /></UFormField>
      <UFormField
        v-if="form.transport === 'tls'"
        :label="logText.authority"
        :help="logText.authorityHow"
        class="authority"
        ><UTextarea
          v-model="form.authority"
          class="w-full"
          :rows="2"
          :placeholder="logText.authorityExample"
          maxlength="100000"
      /></UFormField>
      <UButton type="submit" :loading="busy">{{ logText.add }}</UButton>
    </form>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-else-if="said" role="status">{{ said }}</p>
  </section>
</template>

<style scoped>
section {
  margin-top: 22px;
}
.authority {
  flex: 0 1 24rem;
  min-width: 0;
}
</style>
