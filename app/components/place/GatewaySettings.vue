<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import equal from 'fast-deep-equal'
import { FIRST_SETTINGS, WORDS_LENGTH, type Settings } from '../../../gateway/settings.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useNetwork } from '../../stores/network.ts'

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
  if (was.kept && !now.kept) return 'All that was looked up is forgotten then.'
  const names = now.exempt.filter(id => !was.exempt.includes(id)).map(id => network.draft!.devices.find(device => device.id === id)?.name ?? id)
  return [now.days < was.days ? `What is older than ${now.days === 1 ? 'a day' : `${now.days} days`} is forgotten then.` : '', names.length > 0 ? `What ${names.join(', ')} looked up is forgotten then.` : ''].filter(Boolean).join(' ')
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
    <h2>What the gateway does besides</h2>
    <p class="soft">The gateway keeps this itself. It counts at once, and is no part of the draft.</p>
    <p v-if="away" class="trouble" role="status">The gateway does not answer, so nothing can be chosen here now.</p>
    <form @submit.prevent="keep">
      <fieldset :disabled="away">
        <legend class="serif">A closed name</legend>
        <label class="tick"><input v-model="form.page.shown" type="checkbox"> leads to a page that says what is closed, by which hours and until when</label>
        <p class="soft">Only where a page is asked for without encryption. With https the browser says that it cannot connect, since nobody can speak for another’s name.</p>
        <label v-if="form.page.shown" class="words">Words of your own on it<textarea v-model="form.page.words" rows="2" :maxlength="WORDS_LENGTH" placeholder="The workshop rests until seven. Whom to ask: the front desk." /></label>
        <p class="see">
          <span>See it as</span>
          <select v-model="viewer" aria-label="As which device"><option value="">which device?</option><option v-for="{ value, label } in devices" :key="value" :value="value">{{ label }}</option></select>
          <span>asking for</span> <input v-model="name" aria-label="Which name" placeholder="reelbrook.example" maxlength="300">
          <a v-if="pageUrl" :href="pageUrl" target="_blank" rel="noopener" class="link">show the page</a>
        </p>
        <label class="tick"><input v-model="form.closedAddresses" type="checkbox"> closes the addresses that it has, too</label>
        <p class="soft">Then somebody who knows the address does not get through either. Several names may share one address: what else lives there is closed with it, for the same devices.</p>
      </fieldset>
      <fieldset :disabled="away">
        <legend class="serif">What devices look up</legend>
        <label class="tick"><input v-model="form.lookups.kept" type="checkbox"> is kept</label>
        <template v-if="form.lookups.kept">
          <p class="line"><label>for <input v-model.number="form.lookups.days" type="number" min="1" max="90" required aria-label="Days"> days,</label> <span id="exempt">but not of</span> <USelectMenu v-model="form.lookups.exempt" multiple value-key="value" :items="devices" placeholder="anybody" aria-labelledby="exempt" class="min-w-44 max-w-80" /></p>
        </template>
        <p class="soft">It teaches apps, shows what a word would catch, and is searched on the page Proof. Whoever uses this network should know of it.</p>
      </fieldset>
      <fieldset :disabled="away">
        <legend class="serif">Names that lead here</legend>
        <label class="words">Outside names that may lead to an address of this network<input v-model.lazy="localNames" placeholder="vault.example" spellcheck="false"></label>
        <p class="soft">Other outside names that do are refused, since a page could reach devices in this network by them.</p>
      </fieldset>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <p v-if="goes" class="trouble" role="status">{{ goes }} That cannot be undone.</p>
      <UButton type="submit" size="sm" :loading="busy" :disabled="!changed || away">{{ goes ? 'Let it count, and forget that' : 'Let it count' }}</UButton>
      <button v-if="changed && kept" type="button" class="link back" @click="form = copyOf(kept)">as it was</button>
    </form>
  </section>
</template>

<style scoped>
.gateway { margin-top: 30px; }
fieldset { margin: 14px 0; padding-top: 10px; border-top: 1px solid var(--line); }
legend { font-size: 16px; font-weight: 500; float: left; width: 190px; }
fieldset > :not(legend) { margin-left: 190px; }
fieldset p { margin-bottom: 10px; max-width: 72ch; }
.tick { display: block; cursor: pointer; }
.words { display: flex; flex-direction: column; gap: 3px; font-size: 12.5px; color: var(--soft); margin-bottom: 10px; max-width: 560px; }
textarea, input:not([type=checkbox]), select { background: var(--leaf); border: 1px solid var(--line); border-radius: 4px; padding: 5px 8px; color: var(--ink); font-size: 14px; }
input[type=number] { width: 64px; }
.see, .line { display: flex; flex-wrap: wrap; gap: 8px; align-items: center; }
.trouble { color: var(--needle-text); margin-bottom: 8px; }
.back { margin-left: 14px; color: var(--soft); }
@media (max-width: 760px) {
  legend { float: none; width: auto; }
  fieldset > :not(legend) { margin-left: 0; }
}
</style>
