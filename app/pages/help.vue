<script setup lang="ts">
import BandKey from '../components/board/BandKey.vue'
import { KEYS } from '../model/keys.ts'
import { helpText, STILL_ONLINE, TERMS } from '../text/help.ts'

useHead({ title: helpText.pageTitle })
</script>

<template>
  <section :aria-label="helpText.help" class="help">
    <h1>
      <b>{{ helpText.help }}</b>
    </h1>
    <h2>{{ helpText.howToReadTheDrawings }}</h2>
    <p>{{ helpText.whatABandShows }}</p>
    <BandKey />
    <h2 id="online">{{ helpText.itIsStillOnline }}</h2>
    <dl>
      <template v-for="[question, answer] in STILL_ONLINE" :key="question"
        ><dt>{{ question }}</dt>
        <dd>{{ answer }}</dd></template
      >
    </dl>
    <h2>{{ helpText.terms }}</h2>
    <dl>
      <template v-for="[term, meaning] in TERMS" :key="term"
        ><dt>{{ term }}</dt>
        <dd>{{ meaning }}</dd></template
      >
    </dl>
    <h2>{{ helpText.keys }}</h2>
    <dl>
      <template v-for="[key, words] in KEYS" :key="key"
        ><dt>
          <kbd>{{ key }}</kbd>
        </dt>
        <dd>{{ words }}</dd></template
      >
    </dl>
  </section>
</template>

<style scoped>
.help {
  max-width: 820px;
}
h2 {
  margin: 26px 0 8px;
}
p {
  margin-bottom: 10px;
}
dl {
  display: grid;
  grid-template-columns: 250px minmax(0, 1fr);
  gap: 8px 20px;
}
dt {
  font-weight: 600;
}
kbd {
  font-weight: 400;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 1px 7px;
}
@media (max-width: 760px) {
  dl {
    grid-template-columns: minmax(0, 1fr);
    gap: 2px;
  }
  dd {
    margin-bottom: 10px;
  }
}
</style>
