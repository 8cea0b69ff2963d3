<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import equal from 'fast-deep-equal'
import { FIRST_SETTINGS, WORDS_LENGTH, type Settings } from '../../../gateway/settings.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useNetwork } from '../../stores/network.ts'
import SelectField from '../shell/SelectField.vue'

/** What the gateway does besides holding to the rules: kept by the gateway itself, and in force at once. */
const network = useNetwork()
const { busy, trouble, send } = useDraft()
const kept = computed((): Settings | null => network.gateway?.status?.settings ?? null)
const copyOf = ({ closedAddresses, page, lookups, localNames }: Settings) => ({ localNames: [...localNames], closedAddresses, page: { ...page }, lookups: { ...lookups, exempt: [...lookups.exempt] } })
const form = ref(copyOf(kept.value ?? FIRST_SETTINGS))
// What somebody else chose meanwhile is taken over where nothing was changed here.
watch(kept, (now, before) => {
  if (now && (!before || equal(form.value, copyOf(before)))) form.value = copyOf(now)
})
const away = computed(() => network.gateway?.state === 'away' || !kept.value)
const changed = computed(() => kept.value !== null && !equal(form.value, copyOf(kept.value)))
const devices = computed(() => network.draft!.devices.map(({ id, name }) => ({ value: id, label: name })))
/** What of the look-ups that are kept would go. */
const goes = computed(() => {
  if (!kept.value) return ''
  const [was, now] = [kept.value.lookups, form.value.lookups]
  if (was.kept && !now.kept) return 'All stored look-ups are deleted then.'
  const names = now.exempt.filter(id => !was.exempt.includes(id)).map(id => network.draft!.devices.find(device => device.id === id)?.name ?? id)
  return [now.days < was.days ? `What is older than ${now.days === 1 ? 'a day' : `${now.days} days`} is deleted then.` : '', names.length > 0 ? `What ${names.join(', ')} looked up is deleted then.` : ''].filter(Boolean).join(' ')
})
/** Outside names that may lead into this network, as one types them. */
const localNames = computed({
  get: () => form.value.localNames.join(', '),
  set: (text: string) => { form.value.localNames = text.split(/[\s,]+/).filter(Boolean) },
})
const keep = () => send('PUT', '/api/gateway/settings', form.value)
/** Whose page is looked at, and for which name. */
const viewer = ref('')
const name = ref('')
const mac = computed(() => network.live!.policy.devices.find(({ id }) => id === viewer.value)?.adapters[0]?.mac ?? '')
const pageUrl = computed(() => mac.value && name.value.trim() ? `/api/gateway/page?${new URLSearchParams({ mac: mac.value, name: name.value.trim() })}` : '')
</script>

<template>
  <section aria-label="Gateway" class="gateway">
    <h2>Gateway</h2>
    <p class="soft">These settings are stored in the gateway. They take effect at once and are not part of the draft.</p>
    <p v-if="away" class="trouble" role="status">The gateway does not answer, so its settings cannot be changed now.</p>
    <form @submit.prevent="keep">
      <fieldset :disabled="away">
        <legend class="display">Blocked sites</legend>
        <UCheckbox v-model="form.page.shown" label="Show a page that explains the block (http only)" />
        <p class="soft">With https, the browser says that it cannot connect.</p>
        <label v-if="form.page.shown" class="words">Your message on that page<UTextarea v-model="form.page.words" :rows="2" :maxlength="WORDS_LENGTH" placeholder="Please ask at the front desk." /></label>
        <p class="see">
          <span>Preview for</span>
          <SelectField v-model="viewer" label="As which device" :items="[{ value: '', label: 'Device' }, ...devices]" />
          <span>opening</span> <UInput v-model="name" aria-label="Which name" placeholder="reelbrook.example" maxlength="300" />
          <a v-if="pageUrl" :href="pageUrl" target="_blank" rel="noopener" class="link">Open the page</a>
        </p>
        <UCheckbox v-model="form.closedAddresses" label="Also block the IP addresses of blocked sites" />
        <p class="soft">Stops devices that connect by address. Other sites on the same address are blocked with it, for the same devices.</p>
      </fieldset>
      <fieldset :disabled="away">
        <legend class="display">DNS look-ups</legend>
        <UCheckbox v-model="form.lookups.kept" label="Store which names devices look up" />
        <template v-if="form.lookups.kept">
          <p class="line"><label>for <UInput v-model.number="form.lookups.days" type="number" min="1" max="90" class="w-16" required aria-label="Days" /> days,</label> <span id="exempt">except for</span> <USelectMenu v-model="form.lookups.exempt" multiple value-key="value" :items="devices" placeholder="no device" aria-labelledby="exempt" class="min-w-44 max-w-80" /></p>
        </template>
        <p class="soft">Used to learn apps and to search in Activity. Tell the people who use this network.</p>
      </fieldset>
      <fieldset :disabled="away">
        <legend class="display">Names of this network</legend>
        <label class="words">Outside names that may point to an address in this network<UInput v-model.lazy="localNames" placeholder="vault.example" spellcheck="false" /></label>
        <p class="soft">All other outside names that do are refused: a web page could use them to reach your devices.</p>
      </fieldset>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <p v-if="goes" class="trouble" role="status">{{ goes }} This cannot be undone.</p>
      <UButton color="primary" variant="solid" type="submit" :loading="busy" :disabled="!changed || away">{{ goes ? 'Save and delete that' : 'Save' }}</UButton>
      <UButton v-if="changed && kept" class="back" @click="form = copyOf(kept)">Cancel</UButton>
    </form>
  </section>
</template>

<style scoped>
.gateway { margin-top: 30px; }
fieldset { margin: 14px 0; padding-top: 10px; border-top: 1px solid var(--hair); }
legend { font-size: 16px; font-weight: 500; float: left; width: 190px; }
fieldset > :not(legend) { margin-left: 190px; }
fieldset p { margin-bottom: 10px; max-width: 72ch; }
.words { display: flex; flex-direction: column; gap: 3px; font-size: 13px; color: var(--soft); margin-bottom: 10px; max-width: 560px; }
.see, .line { display: flex; flex-wrap: wrap; gap: 8px; align-items: center; }
.trouble { color: var(--danger); margin-bottom: 8px; }
.back { margin-left: 8px; }
@media (max-width: 760px) {
  legend { float: none; width: auto; }
  fieldset > :not(legend) { margin-left: 0; }
}
</style>
