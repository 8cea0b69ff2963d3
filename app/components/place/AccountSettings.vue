<script setup lang="ts">
import { reactive, ref } from 'vue'
import { passwordForm } from '../../../shared/forms.ts'
import { callApi, wordsOf } from '../../composables/useApi.ts'

/** One's own password, and everything of this place as a file. */
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
  <section aria-label="Account and backup" class="account">
    <h2>Your password</h2>
    <UForm :state="form" :schema="passwordForm" :validate-on="['input']" class="form" @submit="change">
      <UFormField label="Current password" name="current"><UInput v-model="form.current" type="password" autocomplete="current-password" class="w-64" /></UFormField>
      <UFormField label="New password" name="next"><UInput v-model="form.next" type="password" autocomplete="new-password" class="w-64" /></UFormField>
      <UButton type="submit" :loading="busy">Change password</UButton>
    </UForm>
    <p class="soft">All other sessions of your account end. If you forget it: <code>bin/kairostat reset-password</code> on the computer where Kairostat runs.</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-if="done" role="status">Your password is changed.</p>
    <h2>Backup</h2>
    <p class="soft">Everything of this place in one file: accounts, draft, revisions, overrides, history, settings. One is also stored in the data folder each night, the last seven days. Keep it safe: it holds the accounts, too.</p>
    <p><a href="/api/backup" download class="link">Download a backup</a></p>
  </section>
</template>

<style scoped>
.account { margin-top: 30px; }
.form { display: flex; flex-wrap: wrap; gap: 10px 16px; align-items: start; margin: 12px 0 8px; }
.form > :last-child { margin-top: 22px; }
h2:not(:first-child) { margin-top: 22px; }
p { max-width: 76ch; }
.trouble { color: var(--danger); }
</style>
