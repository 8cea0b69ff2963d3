<script setup lang="ts">
import { useMe } from '../../stores/me.ts'
import { shellText } from '../../text/shell.ts'
import MarkedText from '../common/MarkedText.vue'

/** Says on every screen that nothing real is blocked while the gateway is simulated. */
const me = useMe()
</script>

<template>
  <section class="simulated" :aria-label="shellText.simulatedGateway">
    <p>
      <MarkedText v-slot="{ words, index }" :text="shellText.simulatedGatewayNothing"
        ><span v-if="index === 0">{{ words }}</span
        ><NuxtLink v-else-if="me.mayDo('administer')" to="/settings#connect" class="link">{{
          words
        }}</NuxtLink
        ><span v-else
      /></MarkedText>
    </p>
  </section>
</template>

<style scoped>
.simulated {
  background: var(--warn-paper);
  color: var(--warn-ink);
  font-size: 13px;
  text-align: center;
  padding: 5px 16px;
  border-bottom: 1px solid color-mix(in srgb, var(--warn) 45%, transparent);
}
.link {
  white-space: nowrap;
  margin-left: 6px;
  text-decoration-color: currentcolor;
}
@media (max-width: 760px) {
  span {
    display: none;
  }
}
</style>
