<script setup lang="ts">
import { computed, ref } from 'vue'
import { placeForm } from '../../../protocol/forms.ts'
import { useDraft } from '../../composables/useDraft.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useMe } from '../../stores/me.ts'
import { placesText } from '../../text/places.ts'
import { settingsText } from '../../text/settings/settings.ts'
import ActButton from '../common/ActButton.vue'

/** The name and the time zone of the place. */
const [draft, me] = [useDraftPolicy(), useMe()]
const { busy, trouble, send } = useDraft()
const form = ref({ ...draft.policy.place })
const zones = Intl.supportedValuesOf('timeZone')
const changed = computed(
  () =>
    form.value.name.trim() !== draft.policy.place.name || form.value.timeZone !== draft.policy.place.timeZone,
)
const save = () => send('PUT', '/api/place', form.value)
</script>

<template>
  <section :aria-label="settingsText.yourNetwork">
    <h2>{{ settingsText.yourNetwork }}</h2>
    <UForm :state="form" :schema="placeForm" :validate-on="[]" class="leaf form" @submit="save">
      <UFormField :label="settingsText.name" name="name"
        ><UInput v-model="form.name" class="w-64" maxlength="200"
      /></UFormField>
      <UFormField :label="settingsText.timeZone" name="timeZone"
        ><USelectMenu v-model="form.timeZone" :items="zones" :aria-label="settingsText.timeZone" class="w-72"
      /></UFormField>
      <p class="soft">{{ settingsText.timeZoneWhy }}</p>
      <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
      <ActButton type="submit" :loading="busy" :disabled="!changed">{{ settingsText.save }}</ActButton>
    </UForm>
    <p v-if="me.isOverAll && me.places.length === 1" class="soft other">
      {{ placesText.addAnother }} <NuxtLink to="/places" class="link">{{ placesText.add }}</NuxtLink>
    </p>
  </section>
</template>

<style scoped>
.form {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 20px;
  align-items: end;
  padding: 18px 20px;
  margin-top: 8px;
}
.form p {
  flex-basis: 100%;
}
.other {
  margin-top: 14px;
}
</style>
