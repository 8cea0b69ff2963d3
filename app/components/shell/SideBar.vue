<script setup lang="ts">
import { isOn, type PageLink } from '../../model/pages.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useMe } from '../../stores/me.ts'
import { placesText } from '../../text/places.ts'
import { shellText } from '../../text/shell.ts'
import ActButton from '../common/ActButton.vue'
import PlaceSwitch from '../places/PlaceSwitch.vue'
import GatewayLine from './GatewayLine.vue'

/** The place, how its gateway stands, and the pages; on a phone the pages are in a bar of their own. */
defineProps<{ pages: readonly PageLink[]; dark: boolean }>()
const emit = defineEmits<{ theme: []; signOut: [] }>()
const [draft, me] = [useDraftPolicy(), useMe()]
const route = useRoute()
</script>

<template>
  <div>
    <div class="brand" role="banner">
      <NuxtLink to="/" class="mark display">{{ shellText.kairostat }}</NuxtLink>
      <div class="place">
        <PlaceSwitch v-if="me.places.length > 1" />
        <p v-else class="soft name">{{ draft.policy.place.name }}</p>
        <GatewayLine />
      </div>
    </div>
    <nav :aria-label="shellText.pages">
      <NuxtLink
        v-for="page in pages"
        :key="page.to"
        :to="page.to"
        :class="{ on: isOn(page.to, route.path) }"
        :aria-current="isOn(page.to, route.path) ? 'page' : undefined"
        >{{ page.name }}
        <b v-if="page.count" :aria-label="shellText.newCount(page.count)">{{ page.count }}</b></NuxtLink
      >
      <div class="quiet">
        <NuxtLink v-if="me.places.length > 1" to="/places">{{ placesText.title }}</NuxtLink>
        <NuxtLink to="/help">{{ shellText.help }}</NuxtLink>
        <ActButton variant="ghost" class="text-(--soft)" @click="emit('theme')">{{
          dark ? shellText.light : shellText.dark
        }}</ActButton>
        <ActButton variant="ghost" class="text-(--soft)" @click="emit('signOut')">{{
          shellText.signOut
        }}</ActButton>
      </div>
    </nav>
  </div>
</template>

<style scoped>
.brand {
  padding-left: 12px;
}
.mark {
  font-size: 22px;
  font-weight: 700;
  line-height: 1;
}
.place {
  margin-top: 10px;
  font-size: 13px;
  min-height: 58px;
}
nav {
  padding-top: 14px;
  display: flex;
  flex-direction: column;
  gap: 1px;
}
nav > a {
  display: flex;
  align-items: center;
  justify-content: space-between;
  padding: 6px 12px;
  color: var(--soft);
  border-radius: 8px;
}
nav > a:hover {
  color: var(--ink);
}
nav > a.on {
  color: var(--ink);
  font-weight: 650;
  background: var(--leaf);
  box-shadow: 0 0 0 1px var(--hair);
}
nav b {
  background: var(--ink);
  color: var(--paper);
  font-size: 13px;
  line-height: 1;
  border-radius: 99px;
  padding: 4px 8px;
}
.quiet {
  margin-top: 20px;
  display: flex;
  flex-direction: column;
  align-items: flex-start;
  font-size: 14px;
  color: var(--soft);
  padding-left: 12px;
}
.quiet > * {
  cursor: pointer;
  padding: 4px 0;
}
.quiet > *:hover {
  color: var(--ink);
}
@media (max-width: 760px) {
  .brand {
    padding: 0 0 6px;
    display: flex;
    align-items: baseline;
    justify-content: space-between;
    gap: 12px;
  }
  .mark {
    font-size: 19px;
  }
  .place {
    margin: 0;
    min-height: 0;
    text-align: right;
  }
  .name {
    display: none;
  }
  nav {
    display: none;
  }
}
</style>
