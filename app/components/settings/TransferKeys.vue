<script setup lang="ts">
import { ref } from 'vue'
import { ZONES, type TransferKeysAnswer } from '../../../protocol/list-source.ts'
import { callApi } from '../../composables/useApi.ts'
import { useListed } from '../../composables/useListed.ts'
import { usePlace } from '../../stores/place.ts'
import { instantWords } from '../../text/time.ts'
import { transferText } from '../../text/settings/transfer-keys.ts'
import ActButton from '../common/ActButton.vue'
import CommandBlock from '../common/CommandBlock.vue'

/** The keys by which DNS servers fetch live lists: made, shown once, deleted. */
const place = usePlace()
const { answer, busy, trouble, act } = useListed<TransferKeysAnswer>('/api/transfer-keys')
const name = ref('')
const made = ref('')
/** The key that is about to be deleted. */
const leaving = ref<string | null>(null)

const make = () =>
  act(async () => {
    const called = name.value.trim().toLowerCase()
    const { algorithm, secret } = await callApi<{ algorithm: string; secret: string }>(
      'POST',
      '/api/transfer-keys',
      { name: called },
    )
    made.value = `key "${called}" {\n  algorithm ${algorithm};\n  secret "${secret}";\n};`
    name.value = ''
  })
const remove = (key: string) =>
  act(async () => {
    if (leaving.value === key) {
      made.value = ''
      await callApi('DELETE', `/api/transfer-keys/${key}`)
    }
    leaving.value = leaving.value === key ? null : key
  })
</script>

<template>
  <section :aria-label="transferText.title">
    <h2>{{ transferText.title }}</h2>
    <p class="soft">
      {{ transferText.how }}
      <template v-if="answer">{{
        answer.port === null ? transferText.off : transferText.on(answer.port, ZONES)
      }}</template>
    </p>
    <ul v-if="answer && answer.keys.length > 0" class="lines">
      <li v-for="key in answer.keys" :key="key.name">
        <span class="name">{{ key.name }}</span>
        <span class="soft">{{ transferText.facts(key.author, instantWords(key.madeAt, place.zone)) }}</span>
        <ActButton
          :disabled="busy"
          :aria-label="transferText.deleteOne(key.name)"
          @click="remove(key.name)"
          >{{ leaving === key.name ? transferText.reallyDelete : transferText.delete }}</ActButton
        >
      </li>
    </ul>
    <form class="fields" :aria-label="transferText.add" @submit.prevent="make">
      <UFormField :label="transferText.name"
        ><UInput v-model="name" class="w-60" :placeholder="transferText.nameExample" maxlength="63"
      /></UFormField>
      <ActButton type="submit" :loading="busy" :disabled="name.trim() === ''">{{
        transferText.add
      }}</ActButton>
    </form>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <div v-if="made" role="status">
      <p>{{ transferText.secretHow }}</p>
      <CommandBlock :lines="made" :label="transferText.lines" />
    </div>
  </section>
</template>

<style scoped>
li {
  flex-wrap: wrap;
}
.name {
  overflow-wrap: anywhere;
}
.facts {
  flex: 1;
}
</style>
