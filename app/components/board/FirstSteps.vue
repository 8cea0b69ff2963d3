<script setup lang="ts">
import { computed } from 'vue'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useLive } from '../../stores/live.ts'
import { usePlace } from '../../stores/place.ts'
import { clockTroubles } from '../../text/gateway.ts'
import { boardText } from '../../text/board.ts'

/** The way in where nothing is set up yet: each step is ticked by what is there. */
const [draft, live, place, gateway] = [useDraftPolicy(), useLive(), usePlace(), useGateway()]
const steps = computed(() => [
  {
    done: gateway.answered !== null && gateway.answered.state !== 'none' && !gateway.answered.isTrial,
    to: '/settings/gateway',
    name: boardText.connectAGateway,
    words: boardText.connectAGatewayWhy,
  },
  {
    done:
      gateway.answered?.status != null &&
      gateway.answered.state !== 'away' &&
      clockTroubles(gateway.answered, place.zone).length === 0,
    to: '/settings/place',
    name: boardText.checkClock,
    words: boardText.checkClockWhy,
  },
  {
    done: draft.policy.devices.length > 0,
    to: '/devices',
    name: boardText.nameYourDevices,
    words: boardText.nameYourDevicesWhy,
  },
  {
    done: draft.policy.schedules.length > 0,
    to: '/schedules?new',
    name: boardText.drawASchedule,
    words: boardText.drawAScheduleWhy,
  },
  {
    done: draft.policy.rules.length > 0,
    to: '/rules?new',
    name: boardText.createARule,
    words: boardText.createARuleWhy,
  },
  {
    done: live.answer.revision !== null,
    to: '/review',
    name: boardText.applyAndCheck,
    words: boardText.applyAndCheckWhy,
  },
])
</script>

<template>
  <section class="leaf first" :aria-label="boardText.firstSteps">
    <h2>{{ boardText.firstSteps }}</h2>
    <ol>
      <li v-for="(step, index) in steps" :key="step.to" :class="{ done: step.done }">
        <span class="mark" aria-hidden="true">{{ step.done ? '✓' : index + 1 }}</span>
        <span
          ><NuxtLink :to="step.to" class="link">{{ step.name }}</NuxtLink
          ><span class="sr-only">{{ step.done ? boardText.stepDone : '' }}</span>
          {{ ' ' }}
          <span class="soft">{{ step.words }}</span></span
        >
      </li>
    </ol>
  </section>
</template>

<style scoped>
.first {
  padding: 18px 22px;
  max-width: 640px;
  margin: 10px 0 18px;
}
ol {
  margin-top: 10px;
  display: flex;
  flex-direction: column;
  gap: 10px;
}
li {
  display: flex;
  gap: 12px;
  align-items: center;
}
.mark {
  flex: none;
  width: 26px;
  height: 26px;
  border-radius: 50%;
  border: 1px solid var(--line);
  display: grid;
  place-items: center;
  font-size: 14px;
}
.done .mark {
  background: var(--ink);
  color: var(--leaf);
  border-color: var(--ink);
}
</style>
