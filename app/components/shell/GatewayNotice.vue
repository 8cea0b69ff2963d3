<script setup lang="ts">
import { computed } from 'vue'
import { useRequest } from '../../composables/useRequest.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useMe } from '../../stores/me.ts'
import { useSession } from '../../stores/session.ts'
import { shellText } from '../../text/shell.ts'
import ActButton from '../common/ActButton.vue'

/** Says on every screen that nothing real is blocked, and offers the way out of that. */
const [me, gateway, session] = [useMe(), useGateway(), useSession()]
const { busy, trouble, send } = useRequest()
const kind = computed((): 'none' | 'trial' | 'demo' | null => {
  const view = gateway.answered
  if (view?.state === 'none') return 'none'
  if (view?.status?.plane !== 'simulated') return null
  return view.isTrial ? 'trial' : 'demo'
})
const WORDS = {
  none: shellText.noGatewayConnected,
  trial: shellText.tryingNetwork,
  demo: shellText.demoNetwork,
}
async function setTrial(isOn: boolean) {
  if (await send('PUT', '/api/gateway/trial', { isOn })) await session.load(['gateway'])
}
</script>

<template>
  <section v-if="kind" class="notice" :aria-label="shellText.gatewayNotice">
    <p>
      {{ WORDS[kind] }}
      <template v-if="me.mayDo('administer')">
        <NuxtLink to="/settings/gateway" class="link">{{ shellText.connectAGateway }}</NuxtLink>
        <ActButton
          v-if="kind !== 'demo'"
          variant="link"
          class="link"
          :loading="busy"
          @click="setTrial(kind === 'none')"
          >{{ kind === 'none' ? shellText.tryNetwork : shellText.leaveNetwork }}</ActButton
        >
      </template>
    </p>
    <p v-if="trouble" role="alert">{{ trouble }}</p>
  </section>
</template>

<style scoped>
.notice {
  background: var(--warn-paper);
  color: var(--warn-ink);
  font-size: 13px;
  text-align: center;
  padding: 5px 16px;
  border-bottom: 1px solid color-mix(in srgb, var(--warn) 45%, transparent);
}
.link {
  white-space: nowrap;
  margin-left: 8px;
  padding: 0;
  font: inherit;
  line-height: inherit;
  color: inherit;
  text-decoration: underline;
  text-decoration-color: currentcolor;
}
</style>
