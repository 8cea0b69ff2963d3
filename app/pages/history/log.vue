<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { apiPath } from '../../model/address.ts'
import { computed, ref, shallowRef, watch } from 'vue'
import {
  AUDIT_DAYS,
  AUDIT_KINDS,
  type AuditAnswer,
  type AuditEntry,
  type AuditKind,
} from '../../../protocol/audit.ts'
import ActButton from '../../components/common/ActButton.vue'
import HistoryParts from '../../components/review/HistoryParts.vue'
import SelectField from '../../components/common/SelectField.vue'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { usePlace } from '../../stores/place.ts'
import { auditText, AUDIT_KIND_WORDS } from '../../text/settings/audit.ts'
import { instantWords } from '../../text/time.ts'

/** The audit log: who did what, the latest first, searched and exported. */
useHead({ title: auditText.pageTitle })
const place = usePlace()
const { busy, trouble, attempt } = useRequest()
const text = ref('')
const typed = refDebounced(text, 250)
const kind = ref<AuditKind | ''>('')
const account = ref('')
const answer = shallowRef<AuditAnswer | null>(null)
const entries = shallowRef<readonly AuditEntry[]>([])
const search = computed(() => {
  const wanted = { text: typed.value.trim(), kind: kind.value, account: account.value }
  return Object.entries(wanted).filter(([, value]) => value !== '')
})
const fileUrl = computed(() => apiPath(`/api/audit/file?${new URLSearchParams(search.value)}`))
let asked = 0

/** Asks for the entries that match, or for those before the last one shown. */
const ask = (before?: number) =>
  attempt(async () => {
    const turn = ++asked
    const query = new URLSearchParams([...search.value, ...(before ? [['before', String(before)]] : [])])
    const found = await callApi<AuditAnswer>('GET', `/api/audit?${query}`)
    if (turn !== asked) return
    answer.value = found
    entries.value = before ? [...entries.value, ...found.entries] : found.entries
  })
watch(search, () => void ask(), { immediate: true })

const days = computed({
  get: () => answer.value?.days ?? null,
  set: (value: number | null) =>
    void attempt(async () => {
      await callApi('PUT', '/api/audit/kept', { days: value })
      await ask()
    }),
})
const headline = computed(() => {
  if (!answer.value) return auditText.loading
  if (entries.value.length === 0) return search.value.length > 0 ? auditText.noMatch : auditText.nothingYet
  return auditText.title
})
</script>

<template>
  <section :aria-label="auditText.title">
    <h1>
      <b>{{ headline }}</b>
    </h1>
    <HistoryParts />
    <form role="search" class="tools" @submit.prevent="ask()">
      <UInput
        v-model="text"
        type="search"
        :aria-label="auditText.search"
        :placeholder="auditText.search"
        maxlength="200"
        class="w-60"
      />
      <SelectField
        v-model="kind"
        :label="auditText.kind"
        :items="[
          { value: '', label: auditText.allKinds },
          ...AUDIT_KINDS.map((value) => ({ value, label: AUDIT_KIND_WORDS[value] })),
        ]"
      />
      <SelectField
        v-model="account"
        :label="auditText.who"
        :items="[
          { value: '', label: auditText.everybody },
          ...(answer?.accounts ?? []).map((value) => ({ value, label: value })),
        ]"
      />
      <ActButton :href="fileUrl" download>{{ auditText.exportCsv }}</ActButton>
    </form>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <ol v-if="entries.length > 0" class="entries">
      <li v-for="entry in entries" :key="entry.number">
        <span class="when soft">{{ instantWords(entry.at, place.zone) }}</span>
        <span class="who">
          <b>{{ entry.account ?? auditText.nobody }}</b>
          <span v-if="entry.address" class="soft">{{ entry.address }}</span>
        </span>
        <span class="what">{{ entry.words }}</span>
        <span class="kind soft">{{ AUDIT_KIND_WORDS[entry.kind] }}</span>
      </li>
    </ol>
    <ActButton v-if="answer?.more" :loading="busy" class="earlier" @click="ask(entries.at(-1)!.number)">{{
      auditText.earlier
    }}</ActButton>
    <p v-if="answer" class="kept">
      {{ auditText.kept }}
      <SelectField
        v-model="days"
        :label="auditText.kept"
        :items="AUDIT_DAYS.map((value) => ({ value, label: auditText.days(value) }))"
      />
    </p>
  </section>
</template>

<style scoped>
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
  margin-bottom: 10px;
}
.entries li {
  display: grid;
  grid-template-columns: 150px 150px minmax(0, 1fr) auto;
  gap: 2px 18px;
  padding: 8px 0;
  border-bottom: 1px solid var(--hair);
  font-variant-numeric: tabular-nums;
}
.who {
  display: flex;
  flex-direction: column;
  overflow-wrap: anywhere;
}
.what {
  white-space: pre-line;
  overflow-wrap: anywhere;
}
.when,
.kind,
.who .soft {
  font-size: 13px;
}
.earlier {
  margin-top: 12px;
}
.kept {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-top: 18px;
}
@media (max-width: 760px) {
  .entries li {
    grid-template-columns: minmax(0, 1fr) auto;
  }
  .what {
    grid-column: 1 / -1;
    order: 1;
  }
  .kind {
    order: 2;
  }
}
</style>
