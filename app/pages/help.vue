<script setup lang="ts">
import BandKey from '../components/board/BandKey.vue'
import { KEYS } from '../components/palette/keys.ts'
import { STILL_ONLINE, TERMS } from '../text/help.ts'

useHead({ title: 'Help · Kairostat' })
</script>

<template>
  <section aria-label="Help" class="help">
    <h1><b>Help</b></h1>
    <h2>How to read the drawings</h2>
    <p>A band shows a device’s access over time: the higher it is, the more it can reach. The drawing at the top is the same for the whole network.</p>
    <BandKey />
    <h2 id="online">It is still online</h2>
    <dl><template v-for="[question, answer] in STILL_ONLINE" :key="question"><dt>{{ question }}</dt><dd>{{ answer }}</dd></template></dl>
    <h2>Ten terms</h2>
    <dl><template v-for="[term, meaning] in TERMS" :key="term"><dt>{{ term }}</dt><dd>{{ meaning }}</dd></template></dl>
    <h2>Keys</h2>
    <dl><template v-for="[key, words] in KEYS" :key="key"><dt><kbd>{{ key }}</kbd></dt><dd>{{ words }}</dd></template></dl>
  </section>
</template>

<style scoped>
.help { max-width: 820px; }
h2 { margin: 26px 0 8px; }
p { margin-bottom: 10px; }
dl { display: grid; grid-template-columns: 250px minmax(0, 1fr); gap: 8px 20px; }
dt { font-weight: 600; }
kbd { font-weight: 400; border: 1px solid var(--line); border-radius: 4px; padding: 1px 7px; }
@media (max-width: 760px) { dl { grid-template-columns: minmax(0, 1fr); gap: 2px; } dd { margin-bottom: 10px; } }
</style>
