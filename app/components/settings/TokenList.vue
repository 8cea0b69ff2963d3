<script setup lang="ts">
import { ref } from 'vue'
import type { MadeToken, TokenAnswer } from '../../../protocol/answers.ts'
import { tokenForm } from '../../../protocol/forms.ts'
import { PAGES_OF } from '../../model/address.ts'
import { callApi } from '../../composables/useApi.ts'
import { useListed } from '../../composables/useListed.ts'
import { usePlace } from '../../stores/place.ts'
import { instantWords } from '../../text/time.ts'
import { settingsText } from '../../text/settings/settings.ts'
import { TOKEN_ROLES, type TokenRole } from '../../../protocol/roles.ts'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import MarkedText from '../common/MarkedText.vue'

/** The tokens by which programs may ask what is live: made, shown once, revoked. */
const place = usePlace()
const { answer: tokens, busy, trouble, act } = useListed<readonly TokenAnswer[]>('/api/tokens')
const first = () => ({ name: '', role: 'live' as TokenRole, days: 365 as number | null })
const form = ref(first())
const ROLE_CHOICES = TOKEN_ROLES.map((value) => ({ value, label: settingsText.tokenRole[value] }))
const DAYS = [30, 90, 365, null].map((value) => ({ value, label: settingsText.tokenEnds(value) }))
const made = ref('')
/** The token that is about to be revoked. */
const leaving = ref<string | null>(null)
const origin = location.origin + PAGES_OF
const when = (instant: string) => instantWords(instant, place.zone)

const make = () =>
  act(async () => {
    made.value = (await callApi<MadeToken>('POST', '/api/tokens', form.value)).token
    form.value = first()
  })
const revoke = (id: string) =>
  act(async () => {
    leaving.value = null
    await callApi('DELETE', `/api/tokens/${id}`)
  })
</script>

<template>
  <section :aria-label="settingsText.accessForPrograms" class="tokens">
    <h2>{{ settingsText.accessForPrograms }}</h2>
    <p class="soft">
      <MarkedText v-slot="{ words }" :text="settingsText.tokenLetsProgramReadLive"
        ><code>{{ words }}</code></MarkedText
      >
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="tokens?.length === 0 && !made" class="soft">{{ settingsText.noTokensYet }}</p>
    <ul v-if="tokens && tokens.length > 0" class="lines">
      <li v-for="token in tokens" :key="token.id">
        <span class="name">{{ token.name }}</span>
        <span>{{ settingsText.tokenRole[token.role] }}</span>
        <span class="soft">{{
          settingsText.tokenFacts(
            token.author,
            when(token.madeAt),
            token.usedAt === null ? '' : when(token.usedAt),
            token.until === null ? '' : when(token.until),
          )
        }}</span>
        <span v-if="leaving === token.id"
          >{{ settingsText.revokeEffect }}
          <ActButton color="error" @click="revoke(token.id)">{{ settingsText.revoke }}</ActButton>
          {{ ' ' }}
          <ActButton @click="leaving = null">{{ settingsText.cancel }}</ActButton></span
        >
        <ActButton v-else :aria-label="settingsText.revokeOne(token.name)" @click="leaving = token.id">{{
          settingsText.revoke
        }}</ActButton>
      </li>
    </ul>
    <div v-if="made" class="made leaf" role="status">
      <p>{{ settingsText.newToken }}</p>
      <code>{{ made }}</code>
      <p class="soft">
        <MarkedText v-slot="{ words }" :text="settingsText.useItLike(settingsText.tokenExample(origin))"
          ><code>{{ words }}</code></MarkedText
        >
      </p>
    </div>
    <UForm :state="form" :schema="tokenForm" :validate-on="[]" class="fields" @submit="make">
      <UFormField :label="settingsText.nameOfTheToken" name="name"
        ><UInput
          v-model="form.name"
          maxlength="200"
          class="w-64"
          :placeholder="settingsText.tokenNameExample"
      /></UFormField>
      <UFormField :label="settingsText.tokenMay" name="role"
        ><SelectField v-model="form.role" :label="settingsText.tokenMay" :items="ROLE_CHOICES"
      /></UFormField>
      <UFormField :label="settingsText.tokenEnd" name="days"
        ><SelectField v-model="form.days" :label="settingsText.tokenEnd" :items="DAYS"
      /></UFormField>
      <ActButton type="submit" :loading="busy" :disabled="form.name.trim() === ''">{{
        settingsText.createToken
      }}</ActButton>
    </UForm>
  </section>
</template>

<style scoped>
.tokens {
  margin-top: 30px;
}
.name {
  font: 500 16px var(--font-head);
}
.made {
  padding: 12px 16px;
  margin: 14px 0;
}
code {
  font-size: 13px;
  overflow-wrap: anywhere;
  user-select: all;
}
</style>
