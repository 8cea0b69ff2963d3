<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { wifiText } from '../../../core/export/wifi.ts'
import { HOUR, MINUTE } from '../../../core/time/duration.ts'
import type { Override } from '../../../core/policy/types.ts'
import { readInstant } from '../../../core/time/instant.ts'
import type { GuestPassAnswer, GuestPassesAnswer } from '../../../protocol/answers.ts'
import { callApi } from '../../composables/useApi.ts'
import { useOverride } from '../../composables/useOverride.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { GUEST_STAYS } from '../../model/networks.ts'
import { useGateway } from '../../stores/gateway.ts'
import { useLive } from '../../stores/live.ts'
import { useMoment } from '../../stores/moment.ts'
import { usePlace } from '../../stores/place.ts'
import { networksText } from '../../text/settings/networks.ts'
import { whenWords } from '../../text/time.ts'
import { lengthWords } from '../../../core/words/length.ts'
import ActButton from '../common/ActButton.vue'
import QrCode from '../common/QrCode.vue'
import SelectField from '../common/SelectField.vue'

/** Allows the next unknown device on a network for a time, and shows how a guest joins it. */
const props = defineProps<{ network: string | null }>()
defineEmits<{ done: [] }>()
const [gateway, live, moment, place] = [useGateway(), useLive(), useMoment(), usePlace()]
const { busy, trouble, send } = useRequest()
// Loading the list again does not remove the error of an act.
const { trouble: unloaded, attempt } = useRequest()
const { busy: isLifting, lift } = useOverride()
const known = shallowRef<GuestPassesAnswer | null>(null)
const load = () =>
  attempt(async () => (known.value = await callApi<GuestPassesAnswer>('GET', '/api/guest-passes')))
// The passes change with who is on the network.
watch(() => [gateway.sightings, live.answered], load, { immediate: true })

const ANY = ''
const networks = computed(() => live.answer.policy.networks)
const network = ref(props.network ?? networks.value[0]?.id ?? ANY)
const choices = computed(() => [
  ...networks.value.map(({ id, name }) => ({ value: id, label: name })),
  { value: ANY, label: networksText.anyNetwork },
])
const LENGTHS = [HOUR, 2 * HOUR, GUEST_STAYS, 12 * HOUR, 24 * HOUR].map((seconds) => ({
  value: seconds,
  label: networksText.forLength(lengthWords(seconds)),
}))
const lasts = ref(GUEST_STAYS)
/** The access to the chosen network: as it is stored, or typed now. */
const name = ref('')
const key = ref('')
// Anew with another network, and once it is known; not while somebody types.
watch([network, () => known.value !== null], () => {
  const kept = known.value?.wifi[network.value]
  ;[name.value, key.value] = [kept?.name ?? '', kept?.key ?? '']
})
/** The text of the QR code with which a phone joins the network. */
const wifi = computed(() => wifiText({ name: name.value, key: key.value }))

async function make() {
  const wifi = network.value === ANY || name.value === '' ? null : { name: name.value, key: key.value }
  const wish = { network: network.value === ANY ? null : network.value, lasts: lasts.value, wifi }
  if (await send('POST', '/api/guest-passes', wish)) await load()
}
async function end({ id }: GuestPassAnswer) {
  if (await send('DELETE', `/api/guest-passes/${encodeURIComponent(id)}`)) await load()
}
const nameOf = (id: string | null) =>
  networks.value.find((one) => one.id === id)?.name ?? networksText.yourNetwork
/** A pass in words, with the override of its guest (`null` = it waits). */
interface PassRow {
  readonly pass: GuestPassAnswer
  readonly words: string
  readonly override: Override | null
}
/** The passes that wait, and those whose guest is allowed still. */
const rows = computed(() =>
  (known.value?.passes ?? []).flatMap((pass): PassRow[] => {
    const length = lengthWords(pass.lasts)
    if (pass.usedBy === null) {
      const left = readInstant(pass.until)! - moment.now
      if (left <= 0) return []
      const minutes = lengthWords(Math.ceil(left / MINUTE) * MINUTE)
      return [{ pass, words: networksText.passWaits(nameOf(pass.network), length, minutes), override: null }]
    }
    const override = live.answer.policy.overrides.find(({ id }) => id === pass.override)
    if (!override?.until || readInstant(override.until)! <= moment.now) return []
    const until = whenWords(readInstant(override.until)!, moment.now, place.zone)
    return [{ pass, words: networksText.passUsed(gateway.nameOfMac(pass.usedBy), until), override }]
  }),
)
</script>

<template>
  <section class="leaf pass" :aria-label="networksText.guestPass">
    <div class="top">
      <h2>{{ networksText.guestPass }}</h2>
      <ActButton variant="ghost" icon="i-lucide-x" :aria-label="networksText.close" @click="$emit('done')" />
    </div>
    <p class="soft">{{ networksText.passWhat }}</p>
    <ul v-if="rows.length > 0" class="rows" aria-live="polite">
      <li v-for="{ pass, words, override } in rows" :key="pass.id">
        <b>{{ words }}</b>
        <ActButton v-if="override" size="xs" :disabled="isLifting" @click="lift(override)">{{
          networksText.endAccess
        }}</ActButton>
        <ActButton v-else size="xs" :disabled="busy" @click="end(pass)">{{
          networksText.cancelPass
        }}</ActButton>
      </li>
    </ul>
    <form class="wish" @submit.prevent="make">
      <div class="fields">
        <p class="line">
          {{ networksText.nextOn }}
          <SelectField v-model="network" :label="networksText.network" :items="choices" />
          {{ networksText.isAllowed }}
          <SelectField v-model="lasts" :label="networksText.howLong" :items="LENGTHS" />
        </p>
        <p v-if="network !== ''" class="line">
          <UFormField :label="networksText.wifiName"
            ><UInput v-model="name" maxlength="32" class="w-44" autocomplete="off"
          /></UFormField>
          <UFormField :label="networksText.wifiKey"
            ><UInput v-model="key" maxlength="63" class="w-44" autocomplete="off"
          /></UFormField>
        </p>
        <ActButton type="submit" color="primary" variant="solid" :loading="busy">{{
          networksText.makePass
        }}</ActButton>
      </div>
      <figure v-if="name !== '' && network !== ANY">
        <QrCode :text="wifi" :alt="networksText.qrAlt(name)" />
        <figcaption class="soft">{{ networksText.qrHint(name) }}</figcaption>
      </figure>
    </form>
    <p v-if="trouble || unloaded" class="trouble" role="alert">{{ trouble || unloaded }}</p>
  </section>
</template>

<style scoped>
.pass {
  padding: 14px 18px 18px;
  margin: 12px 0;
}
.top {
  display: flex;
  justify-content: space-between;
}
.rows {
  margin: 10px 0 2px;
}
.rows li {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
  padding: 4px 0;
}
.wish {
  display: flex;
  flex-wrap: wrap;
  gap: 14px 40px;
  margin-top: 12px;
}
.fields {
  display: grid;
  gap: 12px;
  align-content: start;
  justify-items: start;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
figure {
  display: flex;
  gap: 12px;
  align-items: center;
  max-width: 380px;
}
figcaption {
  font-size: 13px;
}
.trouble {
  margin-top: 8px;
}
</style>
