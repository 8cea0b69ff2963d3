<script setup lang="ts">
import { reactive } from 'vue'
import { FIRST, pagesOf } from '../../../protocol/places.ts'
import { placeForm } from '../../../protocol/forms.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { placesText } from '../../text/places.ts'
import ActButton from '../common/ActButton.vue'

/** Adds a place, which begins in the time zone of the first, and leads there. */
const { timeZone } = defineProps<{ timeZone: string }>()
const { busy, trouble, refuse, send } = useRequest()
const form = reactive({ name: '', timeZone })
const zones = Intl.supportedValuesOf('timeZone')

async function add() {
  const made = await send<{ id: string }>('POST', `/api/places/${FIRST}/places`, { ...form })
  if (made) location.assign(`${pagesOf(made.id)}/`)
}
</script>

<template>
  <section :aria-label="placesText.add" class="add">
    <h2>{{ placesText.add }}</h2>
    <p class="soft">{{ placesText.addHow }}</p>
    <UForm
      :state="form"
      :schema="placeForm"
      :validate-on="[]"
      class="leaf fields"
      @submit="add"
      @error="refuse"
    >
      <UFormField :label="placesText.name" name="name"
        ><UInput v-model="form.name" class="w-64" maxlength="200" :placeholder="placesText.nameExample"
      /></UFormField>
      <UFormField :label="placesText.timeZone" name="timeZone"
        ><USelectMenu v-model="form.timeZone" :items="zones" :aria-label="placesText.timeZone" class="w-72"
      /></UFormField>
      <ActButton type="submit" :loading="busy" :disabled="form.name.trim() === ''">{{
        placesText.add
      }}</ActButton>
    </UForm>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
  </section>
</template>

<style scoped>
.add {
  margin-top: 34px;
}
.fields {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 20px;
  align-items: end;
  padding: 18px 20px;
  margin-top: 10px;
}
</style>
