<script setup lang="ts">
import { computed } from 'vue'
import { pagesOf } from '../../../protocol/places.ts'
import { PLACE } from '../../model/address.ts'
import { useMe } from '../../stores/me.ts'
import { placesText } from '../../text/places.ts'
import SelectField from '../common/SelectField.vue'

/** Leads to another place; each has pages of its own, which begin anew. */
const me = useMe()
const items = computed(() => me.places.map(({ id, name }) => ({ value: id, label: name })))
const here = computed({ get: () => PLACE, set: (id: string) => location.assign(`${pagesOf(id)}/`) })
</script>

<template>
  <div class="switch">
    <SelectField v-model="here" :label="placesText.place" :items="items" class="w-full" />
  </div>
</template>

<style scoped>
.switch {
  width: 160px;
  margin: -4px 0 6px -12px;
}
.switch :deep(button) {
  font-size: 13px;
  padding-inline: 10px 26px;
}
</style>
