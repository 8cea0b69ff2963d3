<script setup lang="ts">
import { ref, shallowRef } from 'vue'
import type { MadeInvitation, PeopleAnswer, Person } from '../../../protocol/people.ts'
import { ROLES, type Role } from '../../../protocol/roles.ts'
import { callApi } from '../../composables/useApi.ts'
import { useRequest } from '../../composables/useRequest.ts'
import { useMe } from '../../stores/me.ts'
import { usePlace } from '../../stores/place.ts'
import { peopleText, ROLE_WORDS } from '../../text/people.ts'
import { instantWords } from '../../text/time.ts'
import CommandBlock from '../shell/CommandBlock.vue'
import SelectField from '../shell/SelectField.vue'

/** Who may use Kairostat, in which role; somebody is invited by a link. */
const { busy, trouble, attempt } = useRequest()
const [me, place] = [useMe(), usePlace()]
const answer = shallowRef<PeopleAnswer | null>(null)
/** Screens for those who only look are not made yet. */
const CHOICES = ROLES.filter((role) => role !== 'viewer').map((value) => ({
  value,
  label: ROLE_WORDS[value],
}))
const choicesOf = ({ role }: Person) =>
  role === 'viewer' ? [{ value: role, label: ROLE_WORDS[role] }, ...CHOICES] : CHOICES
const when = (instant: string) => instantWords(instant, place.zone)

/** Does something, and shows who there is then. */
const act = (work: () => Promise<unknown> = () => Promise.resolve()) =>
  attempt(async () => {
    await work()
    answer.value = await callApi<PeopleAnswer>('GET', '/api/people')
  })
void act()

const change = ({ name, role, isDisabled }: Pick<Person, 'name' | 'role' | 'isDisabled'>) =>
  act(() => callApi('PUT', `/api/people/${encodeURIComponent(name)}`, { role, isDisabled }))
const leaving = ref<string | null>(null)
const remove = (name: string) =>
  act(async () => {
    leaving.value = null
    await callApi('DELETE', `/api/people/${encodeURIComponent(name)}`)
  })

const role = ref<Role>('editor')
const link = ref('')
const invite = () =>
  act(async () => {
    const { code } = await callApi<MadeInvitation>('POST', '/api/invitations', { role: role.value })
    link.value = `${location.origin}/join#${code}`
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
      <ul>
        <li v-for="person in answer.people" :key="person.name">
          <span class="name">{{ person.name }}</span>
          <SelectField
            :model-value="person.role"
            :label="peopleText.roleOf(person.name)"
            :items="choicesOf(person)"
            @update:model-value="(chosen: Role) => change({ ...person, role: chosen })"
          />
          <span class="soft">
            <template v-if="person.isDisabled">{{ peopleText.disabled }}</template>
            <template v-else-if="person.name === me.answered?.account">{{ peopleText.you }}</template>
            <template v-else>{{
              person.seenAt ? peopleText.lastSeen(when(person.seenAt)) : peopleText.never
            }}</template>
          </span>
          <span v-if="leaving === person.name" class="acts">
            {{ peopleText.deleteEffect(person.name) }}
            <UButton color="error" @click="remove(person.name)">{{ peopleText.delete }}</UButton>
            <UButton variant="ghost" @click="leaving = null">{{ peopleText.cancel }}</UButton>
          </span>
          <span v-else-if="person.name !== me.answered?.account" class="acts">
            <UButton
              :aria-label="
                person.isDisabled ? peopleText.enableOne(person.name) : peopleText.disableOne(person.name)
              "
              @click="change({ ...person, isDisabled: !person.isDisabled })"
              >{{ person.isDisabled ? peopleText.enable : peopleText.disable }}</UButton
            >
            <UButton :aria-label="peopleText.deleteOne(person.name)" @click="leaving = person.name">{{
              peopleText.delete
            }}</UButton>
          </span>
        </li>
      </ul>
      <form class="invite" @submit.prevent="invite">
        <UFormField :label="peopleText.invite"
          ><SelectField v-model="role" :label="peopleText.role" :items="CHOICES"
        /></UFormField>
        <UButton type="submit" :loading="busy">{{ peopleText.makeLink }}</UButton>
      </form>
      <div v-if="link" role="status">
        <p>{{ peopleText.linkHow }}</p>
        <CommandBlock :lines="link" :label="peopleText.link" />
      </div>
      <template v-if="answer.invitations.length > 0">
        <h3>{{ peopleText.waiting }}</h3>
        <ul>
          <li v-for="one in answer.invitations" :key="one.id">
            <span class="grow">{{ peopleText.invited(one.role, one.author, when(one.until)) }}</span>
            <UButton @click="withdraw(one.id)">{{ peopleText.withdraw }}</UButton>
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
li {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
  padding: 7px 0;
  border-bottom: 1px solid var(--hair);
  align-items: center;
}
.name {
  font: 500 16px var(--font-head);
  min-width: 9em;
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
  gap: 10px;
  align-items: end;
  margin-bottom: 10px;
}
</style>
