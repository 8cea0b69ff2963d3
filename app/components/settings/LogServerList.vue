<script setup lang="ts">
import { computed, reactive, watch } from 'vue'
import {
  LOG_KINDS,
  LOG_PORTS,
  LOG_TRANSPORTS,
  type LogKind,
  type LogServerAnswer,
  type LogTransport,
} from '../../../protocol/syslog.ts'
import { callApi } from '../../composables/useApi.ts'
import { useReceivers } from '../../composables/useReceivers.ts'
import { LOG_WORDS, logText, TRANSPORT_WORDS } from '../../text/settings/log-servers.ts'
import ManyField from '../common/ManyField.vue'
import SelectField from '../common/SelectField.vue'
import ReceiverList from './ReceiverList.vue'

/** The servers that take what happens as messages of syslog. */
const { answer, busy, trouble, said, say, test, remove } = useReceivers<LogServerAnswer>('/api/log-servers')
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

const add = () =>
  say(logText.added(nameOf(form)), async () => {
    const authority = form.transport === 'tls' ? form.authority : ''
    await callApi('POST', '/api/log-servers', { ...form, authority })
    Object.assign(form, empty())
  })
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
  <ReceiverList
    :title="logText.title"
    :how="logText.how"
    :add-label="logText.add"
    :items="items"
    :busy="busy"
    :trouble="trouble"
    :said="said"
    @add="add"
    @test="(id) => test(id, (server) => logText.tested(nameOf(server), server.transport !== 'udp'))"
    @remove="remove"
  >
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
      ><ManyField v-model="form.kinds" :label="logText.kinds" :items="KINDS" class="w-72"
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
  </ReceiverList>
</template>

<style scoped>
.authority {
  flex: 0 1 24rem;
  min-width: 0;
}
</style>
