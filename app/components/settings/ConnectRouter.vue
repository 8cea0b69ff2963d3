<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import type { RouterAnswer, RouterLook, RouterPairing } from '../../../protocol/router.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { routerText } from '../../text/settings/router.ts'
import ActButton from '../common/ActButton.vue'
import CommandBlock from '../common/CommandBlock.vue'
import MarkedText from '../common/MarkedText.vue'
import SelectField from '../common/SelectField.vue'
import RouterStartUp from './RouterStartUp.vue'
import TryRouter from './TryRouter.vue'

/**
 * Connects a router that has only a shell: its address, the command that lets us in, what was found, and a
 * try.
 */
const { busy, trouble, attempt, send } = useRequest()
const known = shallowRef<RouterAnswer | null>(null)
void attempt(async () => (known.value = await callApi<RouterAnswer | null>('GET', '/api/router')))

const form = ref({ address: '', user: 'root', port: 22 })
const look = shallowRef<RouterLook | null>(null)
const report = computed(() => (look.value && 'report' in look.value ? look.value.report : null))
const isLocked = computed(() => look.value !== null && 'trouble' in look.value && look.value.isLocked)
const lans = ref<string[]>([])
const isNarrow = ref(false)
const fallback = ref<RouterPairing['fallback']>('open')
const FALLBACKS = (['open', 'closed'] as const).map((value) => ({
  value,
  label: routerText.fallbacks[value],
}))
const isUsable = computed(() => report.value?.gaps.every(({ needed }) => !needed) ?? false)

const [password, refused, isBound] = [ref(''), ref(''), ref(false)]
async function lookAt() {
  refused.value = ''
  take(await send<RouterLook>('POST', '/api/router', form.value))
}
async function letIn() {
  const found = await send<RouterLook>('POST', '/api/router/let-in', {
    ...form.value,
    password: password.value,
    isBound: isBound.value,
  })
  password.value = ''
  // A password that is not the router's leaves the other way in sight.
  refused.value = found && 'trouble' in found ? found.trouble : ''
  if (found && 'report' in found) take(found)
}
function take(found: RouterLook | null) {
  look.value = found
  lans.value = report.value?.interfaces.filter(({ leadsOut }) => !leadsOut).map(({ name }) => name) ?? []
}
async function use() {
  const pairing: RouterPairing = {
    ...form.value,
    lans: lans.value,
    fallback: fallback.value,
    offload: isNarrow.value ? 'unrestricted' : 'all',
    startUp: false,
  }
  if (!(await send('PUT', '/api/router', pairing))) return
  known.value = { ...known.value!, pairing }
  look.value = null
}
const isAsking = ref(false)
async function disconnect() {
  isAsking.value = false
  if (await send('DELETE', '/api/router')) known.value = { ...known.value!, pairing: null }
}
const command = computed(() => known.value?.letIn[isBound.value ? 'bound' : 'whole'] ?? '')
</script>

<template>
  <div v-if="known || trouble" role="group" :aria-label="routerText.title" class="leaf router">
    <h3>{{ routerText.title }}</h3>
    <template v-if="known?.pairing">
      <p role="status">
        <b>{{ routerText.connected(known.pairing.address, known.pairing.lans) }}</b>
      </p>
      <TryRouter />
      <RouterStartUp />
      <p class="acts">
        <ActButton v-if="!isAsking" :loading="busy" @click="isAsking = true">{{
          routerText.disconnect
        }}</ActButton>
        <template v-else>
          <ActButton color="error" @click="disconnect">{{ routerText.reallyDisconnect }}</ActButton>
          <ActButton variant="ghost" @click="isAsking = false">{{ routerText.cancel }}</ActButton>
        </template>
      </p>
    </template>
    <template v-else-if="known">
      <p class="soft">{{ routerText.what }}</p>
      <form class="fields" @submit.prevent="lookAt">
        <UFormField :label="routerText.address"
          ><UInput v-model="form.address" required class="w-52" :placeholder="routerText.addressExample"
        /></UFormField>
        <UFormField :label="routerText.user"><UInput v-model="form.user" required class="w-28" /></UFormField>
        <UFormField :label="routerText.port"
          ><UInput v-model.number="form.port" required type="number" min="1" max="65535" class="w-24"
        /></UFormField>
        <ActButton type="submit" :color="report ? 'neutral' : 'primary'" :loading="busy">{{
          routerText.look
        }}</ActButton>
      </form>
      <template v-if="look && 'trouble' in look">
        <template v-if="isLocked">
          <p role="status">{{ routerText.locked(form.address) }}</p>
          <UCheckbox v-model="isBound" :label="routerText.bound" :description="routerText.boundWhat" />
          <p>{{ routerText.runThere }}</p>
          <CommandBlock :lines="command" :label="routerText.onTheRouter" />
          <p>{{ routerText.orPassword }}</p>
          <form class="fields" @submit.prevent="letIn">
            <UFormField :label="routerText.password"
              ><UInput v-model="password" required type="password" autocomplete="off" class="w-52"
            /></UFormField>
            <ActButton type="submit" :loading="busy">{{ routerText.letIn }}</ActButton>
          </form>
          <p v-if="refused" class="trouble" role="alert">{{ refused }}</p>
        </template>
        <p v-else class="trouble" role="alert">{{ look.trouble }}</p>
      </template>
      <template v-if="report">
        <p role="status">{{ routerText.found(report.versions) }} {{ routerText.clock(report.ahead) }}</p>
        <p class="soft">
          <MarkedText v-slot="{ words }" :text="routerText.fingerprint(report.fingerprint)"
            ><code>{{ words }}</code></MarkedText
          >
        </p>
        <p v-for="gap in report.gaps" :key="gap.what" :class="gap.needed ? 'trouble' : 'warn'">
          {{ routerText.gap(gap.what, gap.costs) }}
        </p>
        <template v-if="report.flowTables.length > 0">
          <p class="warn">{{ routerText.offloads(report.flowTables) }}</p>
          <UCheckbox v-model="isNarrow" :label="routerText.narrow" :description="routerText.narrowWhat" />
        </template>
        <UCheckboxGroup
          v-model="lans"
          :legend="routerText.interfaces"
          :items="
            report.interfaces.map(({ name, addresses }) => ({
              value: name,
              label: routerText.interfaceWords(name, addresses),
            }))
          "
        />
        <p class="line">
          {{ routerText.alone }}
          <SelectField v-model="fallback" :label="routerText.alone" :items="FALLBACKS" />
        </p>
        <p v-if="!isUsable" class="trouble">{{ routerText.cannotUse }}</p>
        <ActButton
          color="primary"
          variant="solid"
          :loading="busy"
          :disabled="!isUsable || lans.length === 0"
          @click="use"
          >{{ routerText.use }}</ActButton
        >
      </template>
    </template>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </div>
</template>

<style scoped>
.router {
  display: grid;
  gap: 10px;
  justify-items: start;
  padding: 14px 18px 18px;
  margin: 12px 0;
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 14px;
  align-items: end;
}
code {
  font-size: 13px;
  overflow-wrap: anywhere;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.warn {
  color: var(--warn);
}
</style>
