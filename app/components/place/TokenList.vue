<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { readInstant } from '../../../core/time/instant.ts'
import type { MadeToken, TokenAnswer } from '../../../shared/answers.ts'
import { tokenForm } from '../../../shared/forms.ts'
import { callApi, wordsOf } from '../../composables/useApi.ts'
import { useNetwork } from '../../stores/network.ts'
import { clockOf, dateWords } from '../../text/time.ts'

/** The tokens by which programs may ask what is live: made, shown once, revoked. */
const network = useNetwork()
const tokens = ref<readonly TokenAnswer[] | null>(null)
const form = ref({ name: '' })
const made = ref('')
/** The token that is about to be revoked. */
const leaving = ref<string | null>(null)
const trouble = ref('')
const busy = ref(false)
const origin = location.origin
const when = (instant: string) => `${dateWords(readInstant(instant)!, network.zone)}, ${clockOf(readInstant(instant)!, network.zone)}`

async function attempt(act: () => Promise<unknown>) {
  busy.value = true
  trouble.value = ''
  try {
    await act()
    tokens.value = await callApi<TokenAnswer[]>('GET', '/api/tokens')
  } catch (error) {
    trouble.value = wordsOf(error)
  } finally {
    busy.value = false
  }
}
const make = () => attempt(async () => {
  made.value = (await callApi<MadeToken>('POST', '/api/tokens', form.value)).token
  form.value = { name: '' }
})
const revoke = (id: string) => attempt(async () => {
  leaving.value = null
  await callApi('DELETE', `/api/tokens/${id}`)
})
onMounted(() => attempt(() => Promise.resolve()))
</script>

<template>
  <section aria-label="Access for programs" class="tokens">
    <h2>Access for programs</h2>
    <p class="soft">A token lets a program read the live policy and the gateway’s counters (<code>/metrics</code>, for Prometheus), and nothing else. Revoke tokens that are no longer used.</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="tokens?.length === 0 && !made" class="soft">No tokens yet.</p>
    <ul v-if="tokens && tokens.length > 0">
      <li v-for="token in tokens" :key="token.id">
        <span class="name">{{ token.name }}</span>
        <span class="soft">created by {{ token.author }} {{ when(token.madeAt) }}; {{ token.usedAt ? `last used ${when(token.usedAt)}` : 'never used' }}</span>
        <span v-if="leaving === token.id">Programs that use it lose access. <UButton color="error" @click="revoke(token.id)">Revoke</UButton> <UButton @click="leaving = null">Cancel</UButton></span>
        <UButton v-else :aria-label="`Revoke ${token.name}`" @click="leaving = token.id">Revoke</UButton>
      </li>
    </ul>
    <div v-if="made" class="made leaf" role="status">
      <p>Your new token. It is shown only once:</p>
      <code>{{ made }}</code>
      <p class="soft">Use it like <code>KAIROSTAT_TOKEN=… bin/kairostat check --server {{ origin }} --at now</code></p>
    </div>
    <UForm :state="form" :schema="tokenForm" :validate-on="[]" class="form" @submit="make">
      <UFormField label="Name of the token" name="name"><UInput v-model="form.name" maxlength="200" class="w-64" placeholder="Backup script" /></UFormField>
      <UButton type="submit" :loading="busy" :disabled="form.name.trim() === ''">Create token</UButton>
    </UForm>
  </section>
</template>

<style scoped>
.tokens { margin-top: 30px; }
li { display: flex; flex-wrap: wrap; gap: 4px 16px; padding: 7px 0; border-bottom: 1px solid var(--hair); align-items: baseline; }
.name { font: 500 16px var(--font-head); }
.trouble { color: var(--danger); }
.made { padding: 12px 16px; margin: 14px 0; }
code { font-size: 13px; overflow-wrap: anywhere; user-select: all; }
.form { display: flex; flex-wrap: wrap; gap: 10px 16px; align-items: end; margin-top: 14px; }
</style>
