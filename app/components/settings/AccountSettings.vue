<script setup lang="ts">
import { reactive, ref } from 'vue'
import { passwordForm } from '../../../protocol/forms.ts'
import { callApi, wordsOf } from '../../composables/useApi.ts'
import { useMe } from '../../stores/me.ts'
import { settingsText } from '../../text/settings/settings.ts'
import ActButton from '../common/ActButton.vue'
import MarkedText from '../common/MarkedText.vue'
import ConnectionFacts from './ConnectionFacts.vue'
import SecondFactor from './SecondFactor.vue'
import SessionList from './SessionList.vue'

/** One's own password, and everything of this place as a file. */
const me = useMe()
const form = reactive({ current: '', next: '' })
const [busy, trouble, done] = [ref(false), ref(''), ref(false)]

async function change() {
  busy.value = true
  trouble.value = ''
  done.value = false
  try {
    await callApi('PUT', '/api/account/password', { ...form })
    form.current = form.next = ''
    done.value = true
  } catch (error) {
    trouble.value = wordsOf(error)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <section :aria-label="settingsText.account" class="account">
    <h2>{{ settingsText.yourPassword }}</h2>
    <UForm :state="form" :schema="passwordForm" :validate-on="['input']" class="form" @submit="change">
      <UFormField :label="settingsText.currentPassword" name="current"
        ><UInput v-model="form.current" type="password" autocomplete="current-password" class="w-64"
      /></UFormField>
      <UFormField :label="settingsText.newPassword" name="next"
        ><UInput v-model="form.next" type="password" autocomplete="new-password" class="w-64"
      /></UFormField>
      <ActButton type="submit" :loading="busy">{{ settingsText.changePassword }}</ActButton>
    </UForm>
    <p class="soft">
      <MarkedText v-slot="{ words }" :text="settingsText.otherSessionsEnd"
        ><code>{{ words }}</code></MarkedText
      >
    </p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="done" role="status">{{ settingsText.yourPasswordIsChanged }}</p>
    <SecondFactor />
    <SessionList />
    <ConnectionFacts />
    <template v-if="me.isOverAll">
      <h2>{{ settingsText.backup }}</h2>
      <p class="soft">{{ settingsText.backupWhat }}</p>
      <p>
        <a href="/api/backup" download class="link">{{ settingsText.downloadABackup }}</a>
      </p>
    </template>
  </section>
</template>

<style scoped>
.account {
  margin-top: 30px;
}
.form {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 16px;
  align-items: start;
  margin: 12px 0 8px;
}
.form > :last-child {
  margin-top: 22px;
}
h2:not(:first-child) {
  margin-top: 22px;
}
p {
  max-width: 76ch;
}
</style>
