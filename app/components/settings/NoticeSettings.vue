<script setup lang="ts">
import { ref } from 'vue'
import { useMe } from '../../stores/me.ts'
import { noticesText } from '../../text/settings/notices.ts'
import MailServerForm from './MailServerForm.vue'
import OwnNotices from './OwnNotices.vue'
import LogServerList from './LogServerList.vue'
import WebhookList from './WebhookList.vue'

/** The settings of notices: one's own, and the ways to send them. */
const me = useMe()
/** One's own mail address, as it is typed. */
const mail = ref('')
</script>

<template>
  <section :aria-label="noticesText.title">
    <h2>{{ noticesText.title }}</h2>
    <OwnNotices v-model="mail" />
    <template v-if="me.mayDo('administer')">
      <MailServerForm v-if="me.isOverAll" :to="mail.trim()" />
      <WebhookList />
      <LogServerList />
    </template>
  </section>
</template>
