<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { isOn, type PageLink } from '../../model/pages.ts'
import { useMe } from '../../stores/me.ts'
import { placesText } from '../../text/places.ts'
import { shellText } from '../../text/shell.ts'
import ActButton from '../common/ActButton.vue'

/** The pages at the thumb, on a narrow screen: four of them, and the rest behind More. */
const props = defineProps<{ pages: readonly PageLink[]; dark: boolean }>()
const emit = defineEmits<{ theme: []; signOut: [] }>()
const route = useRoute()
const me = useMe()
const open = ref(false)
const DRAWINGS: Readonly<Record<string, string>> = {
  '/': 'M2 17h18M2 12h6v-5h7v5h5',
  '/devices': 'M6 2h10v18H6zM10 17h2',
  '/rules': 'M3 6h16M3 11h16M3 16h10',
  '/activity': 'M3 18V9m5 9V4m5 14v-7m5 7V7',
}
const first = computed(() => props.pages.filter(({ to }) => to in DRAWINGS))
const rest = computed(() => props.pages.filter(({ to }) => !(to in DRAWINGS)))
watch(
  () => route.path,
  () => (open.value = false),
)
function changeTheme() {
  emit('theme')
  open.value = false
}
</script>

<template>
  <div class="pages">
    <div v-if="open" id="more-pages" class="more">
      <NuxtLink v-for="page in rest" :key="page.to" :to="page.to">{{ page.name }}</NuxtLink>
      <NuxtLink v-if="me.places.length > 1" to="/places">{{ placesText.title }}</NuxtLink>
      <NuxtLink to="/help">{{ shellText.help }}</NuxtLink>
      <ActButton variant="ghost" @click="changeTheme">{{
        dark ? shellText.lightTheme : shellText.darkTheme
      }}</ActButton>
      <ActButton variant="ghost" @click="emit('signOut')">{{ shellText.signOut }}</ActButton>
    </div>
    <nav :aria-label="shellText.pageBar">
      <NuxtLink v-for="page in first" :key="page.to" :to="page.to" :class="{ on: isOn(page.to, route.path) }">
        <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden="true">
          <path
            :d="DRAWINGS[page.to]"
            fill="none"
            stroke="currentColor"
            stroke-width="2"
            stroke-linejoin="round"
          /></svg
        >{{ page.name }}<b v-if="page.count">{{ page.count }}</b>
      </NuxtLink>
      <ActButton
        variant="ghost"
        class="block rounded-none"
        :aria-expanded="open"
        aria-controls="more-pages"
        :class="{ on: rest.some(({ to }) => isOn(to, route.path)) }"
        @click="open = !open"
      >
        <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden="true">
          <circle v-for="x in [4, 11, 18]" :key="x" :cx="x" cy="11" r="2" fill="currentColor" /></svg
        >{{ shellText.more }}
      </ActButton>
    </nav>
  </div>
</template>

<style scoped>
.pages {
  display: none;
}
@media (max-width: 760px) {
  .pages {
    display: block;
    position: fixed;
    inset: auto 0 0;
    z-index: 8;
    background: var(--leaf);
    border-top: 1px solid var(--hair);
    padding-bottom: env(safe-area-inset-bottom);
  }
  nav {
    display: flex;
  }
  nav > * {
    flex: 1;
    position: relative;
    text-align: center;
    font-size: 13px;
    color: var(--soft);
    padding: 8px 0 7px;
    min-height: 60px;
  }
  nav svg {
    display: block;
    margin: 0 auto 2px;
  }
  .on {
    color: var(--ink);
    font-weight: 650;
  }
  b {
    position: absolute;
    top: 5px;
    left: calc(50% + 8px);
    background: var(--ink);
    color: var(--leaf);
    border-radius: 99px;
    font-size: 13px;
    line-height: 1;
    padding: 2px 6px;
  }
  .more {
    border-bottom: 1px solid var(--hair);
    padding: 4px 16px;
  }
  .more > * {
    display: block;
    width: 100%;
    text-align: left;
    padding: 11px 0;
    min-height: 44px;
  }
}
</style>
