<script setup lang="ts">
import { ref } from 'vue'
import { noticesText } from '../../text/settings/notices.ts'
import ActButton from '../common/ActButton.vue'

/** The receivers of messages: each can be tried, and deleted after a question; a form below adds one. */
defineProps<{
  title: string
  how: string
  addLabel: string
  /** The outcome of the last act in words; '' = none. */
  said: string
  trouble: string
  items: readonly {
    readonly id: string
    readonly name: string
    readonly facts: string
    /** Why nothing could be sent there; '' = it could. */
    readonly trouble: string
  }[]
  busy: boolean
}>()
const emit = defineEmits<{ add: []; test: [id: string]; remove: [id: string] }>()
defineSlots<{ default: () => unknown; below?: () => unknown }>()
/** The one that is about to be deleted. */
const leaving = ref<string | null>(null)
function remove(id: string) {
  if (leaving.value === id) emit('remove', id)
  leaving.value = leaving.value === id ? null : id
}
</script>

<template>
  <section :aria-label="title">
    <h3>{{ title }}</h3>
    <p class="soft">{{ how }}</p>
    <ul v-if="items.length > 0" class="lines">
      <li v-for="item in items" :key="item.id">
        <span class="name">
          {{ item.name }}
          <small class="soft">{{ item.facts }}</small>
          <small v-if="item.trouble" class="trouble">{{ item.trouble }}</small>
        </span>
        <span class="acts">
          <ActButton
            :disabled="busy"
            :aria-label="noticesText.testOne(item.name)"
            @click="emit('test', item.id)"
            >{{ noticesText.testHook }}</ActButton
          >
          <ActButton
            :disabled="busy"
            :aria-label="noticesText.deleteOne(item.name)"
            @click="remove(item.id)"
            >{{ leaving === item.id ? noticesText.reallyDelete : noticesText.delete }}</ActButton
          >
        </span>
      </li>
    </ul>
    <form class="fields" :aria-label="addLabel" @submit.prevent="emit('add')">
      <slot />
      <ActButton type="submit" :loading="busy">{{ addLabel }}</ActButton>
    </form>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <p v-else-if="said" role="status">{{ said }}</p>
    <slot name="below" />
  </section>
</template>

<style scoped>
section {
  margin-top: 22px;
}
.name {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
}
.name small {
  display: block;
  font-size: 13px;
}
.acts {
  display: flex;
  gap: 8px;
}
</style>
