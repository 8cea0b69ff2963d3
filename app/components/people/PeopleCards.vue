<script setup lang="ts">
import { usePeople } from '../../stores/people.ts'
import { cardsText } from '../../text/people-cards.ts'
import PersonCard from './PersonCard.vue'

/** The people of the place, a card each. */
const people = usePeople()
</script>

<template>
  <section v-if="people.lines.length > 0" :aria-label="cardsText.people">
    <ul class="cards">
      <PersonCard v-for="line in people.lines" :key="line.group.id" :line="line" />
    </ul>
  </section>
</template>

<style scoped>
.cards {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 330px), 1fr));
  gap: 10px;
  margin: 10px 0 18px;
}
</style>
