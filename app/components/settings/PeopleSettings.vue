<script setup lang="ts">
import { ref, shallowRef } from 'vue'
import type { MadeInvitation, PeopleAnswer, Person } from '../../../protocol/people.ts'
import type { Rights } from '../../../protocol/roles.ts'
import { PAGES_OF } from '../../model/address.ts'
import { callApi } from '../../composables/useApi.ts'
import { useListed } from '../../composables/useListed.ts'
import { useDraftPolicy } from '../../stores/draft.ts'
import { useMe } from '../../stores/me.ts'
import { usePlace } from '../../stores/place.ts'
import { instantWords } from '../../text/time.ts'
import { lengthWords } from '../../../core/words/length.ts'
import { peopleText } from '../../text/settings/people.ts'
import ActButton from '../common/ActButton.vue'
import CommandBlock from '../common/CommandBlock.vue'
import RightsFields from './RightsFields.vue'

/** The accounts of Kairostat with their roles; people are invited by a link. */
const { answer, busy, trouble, act } = useListed<PeopleAnswer>('/api/people')
const [me, place, draft] = [useMe(), usePlace(), useDraftPolicy()]
const nameOfGroup = (id: string) => draft.policy.groups.find((group) => group.id === id)?.name
const rightsWords = (rights: Rights) =>
  peopleText.rights(
    rights.role,
    rights.limit && lengthWords(rights.limit.minutes * 60),
    rights.limit?.groups.flatMap((id) => nameOfGroup(id) ?? []) ?? [],
  )
const when = (instant: string) => instantWords(instant, place.zone)

/** The account whose rights are being changed, and the new rights. */
const editing = shallowRef<(Rights & { readonly name: string }) | null>(null)
const change = ({ name, role, limit, isDisabled }: Person) =>
  act(async () => {
    await callApi('PUT', `/api/people/${encodeURIComponent(name)}`, { role, limit, isDisabled })
    editing.value = null
  })
/** The account that is deleted, or loses the second factor, after a second press. */
const asked = shallowRef<{ readonly name: string; readonly part: '' | '/second-factor' } | null>(null)
const remove = (name: string, part: '' | '/second-factor') =>
  act(async () => {
    asked.value = null
    await callApi('DELETE', `/api/people/${encodeURIComponent(name)}${part}`)
  })

const rights = ref<Rights>({ role: 'editor', limit: null })
const link = ref('')
const invite = () =>
  act(async () => {
    const { code } = await callApi<MadeInvitation>('POST', '/api/invitations', rights.value)
    link.value = `${location.origin}${PAGES_OF}/join#${code}`
  })
const withdraw = (id: string) =>
  act(async () => {
    link.value = ''
    await callApi('DELETE', `/api/invitations/${id}`)
  })
</script>

<template>
  <section :aria-label="peopleText.title">
    <h2>{{ peopleText.title }}</h2>
    <p class="soft">{{ peopleText.what }}</p>
    <p v-if="trouble" class="trouble" role="alert">{{ trouble }}</p>
    <template v-if="answer">
      <ul class="lines">
        <li v-for="person in answer.people" :key="person.name">
          <span class="name">{{ person.name }}</span>
          <span v-if="editing?.name === person.name" class="acts start">
            <RightsFields
              :model-value="editing"
              :label="peopleText.roleOf(person.name)"
              @update:model-value="(chosen) => (editing = { ...chosen, name: person.name })"
            />
            <ActButton :loading="busy" @click="change({ ...person, ...editing! })">{{
              peopleText.save
            }}</ActButton>
            <ActButton variant="ghost" @click="editing = null">{{ peopleText.cancel }}</ActButton>
          </span>
          <span v-else class="rights">{{ rightsWords(person) }}</span>
          <span class="soft">
            <template v-if="person.isDisabled">{{ peopleText.disabled }}</template>
            <template v-else-if="person.name === me.answered?.account">{{ peopleText.you }}</template>
            <template v-else>{{
              person.seenAt ? peopleText.lastSeen(when(person.seenAt)) : peopleText.never
            }}</template>
          </span>
          <span v-if="asked?.name === person.name" class="acts">
            {{
              asked.part === ''
                ? peopleText.deleteEffect(person.name)
                : peopleText.endSecondFactorEffect(person.name)
            }}
            <ActButton color="error" @click="remove(person.name, asked.part)">{{
              asked.part === '' ? peopleText.delete : peopleText.turnOff
            }}</ActButton>
            <ActButton variant="ghost" @click="asked = null">{{ peopleText.cancel }}</ActButton>
          </span>
          <span v-else-if="editing?.name !== person.name" class="acts">
            <ActButton
              :aria-label="peopleText.roleOf(person.name)"
              @click="editing = { name: person.name, role: person.role, limit: person.limit }"
              >{{ peopleText.changeRole }}</ActButton
            >
            <template v-if="person.name !== me.answered?.account">
              <ActButton
                :aria-label="
                  person.isDisabled ? peopleText.enableOne(person.name) : peopleText.disableOne(person.name)
                "
                @click="change({ ...person, isDisabled: !person.isDisabled })"
                >{{ person.isDisabled ? peopleText.enable : peopleText.disable }}</ActButton
              >
              <ActButton
                v-if="person.hasSecondFactor"
                :aria-label="peopleText.endSecondFactorOf(person.name)"
                @click="asked = { name: person.name, part: '/second-factor' }"
                >{{ peopleText.endSecondFactor }}</ActButton
              >
              <ActButton
                :aria-label="peopleText.deleteOne(person.name)"
                @click="asked = { name: person.name, part: '' }"
                >{{ peopleText.delete }}</ActButton
              >
            </template>
          </span>
        </li>
      </ul>
      <form class="invite" @submit.prevent="invite">
        <h3>{{ peopleText.invite }}</h3>
        <RightsFields v-model="rights" :label="peopleText.role" />
        <ActButton type="submit" :loading="busy">{{ peopleText.makeLink }}</ActButton>
      </form>
      <div v-if="link" role="status">
        <p>{{ peopleText.linkHow }}</p>
        <CommandBlock :lines="link" :label="peopleText.link" />
      </div>
      <template v-if="answer.invitations.length > 0">
        <h3>{{ peopleText.waiting }}</h3>
        <ul class="lines">
          <li v-for="one in answer.invitations" :key="one.id">
            <span class="grow">{{ peopleText.invited(rightsWords(one), one.author, when(one.until)) }}</span>
            <ActButton @click="withdraw(one.id)">{{ peopleText.withdraw }}</ActButton>
          </li>
        </ul>
      </template>
    </template>
  </section>
</template>

<style scoped>
ul {
  margin: 10px 0 14px;
}
.name {
  font: 500 16px var(--font-head);
  min-width: 9em;
}
.rights {
  flex: 1 1 12em;
  min-width: 0;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
  margin-left: auto;
}
.grow {
  flex: 1;
}
h3 {
  margin-top: 14px;
}
.invite {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
  margin-bottom: 10px;
}
.invite h3 {
  flex-basis: 100%;
}
.start {
  margin-left: 0;
}
</style>
