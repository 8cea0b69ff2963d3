<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { compiledOf } from '../../../core/decision/compile.ts'
import { subjectOf, type Person } from '../../../core/decision/periods.ts'
import { deviceSubject } from '../../../core/decision/subject.ts'
import { verdictSpans, type VerdictSpan } from '../../../core/decision/spans.ts'
import { readAddress } from '../../../core/destination/address.ts'
import { readDestination, type Destination } from '../../../core/destination/destination.ts'
import { readService, type Service } from '../../../core/destination/service.ts'
import type { Policy, What } from '../../../core/policy/types.ts'
import { readInstant } from '../../../core/time/instant.ts'
import { DAY, MINUTE, startOfMinute } from '../../../core/time/duration.ts'
import { readSpoken } from '../../../core/time/spoken.ts'
import { wordsOf } from '../../composables/useApi.ts'
import { useOverride, type Whom } from '../../composables/useOverride.ts'
import { useBoard } from '../../stores/board.ts'
import { useHistory } from '../../stores/history.ts'
import { useMoment } from '../../stores/moment.ts'
import { useGateway } from '../../stores/gateway.ts'
import { usePlace } from '../../stores/place.ts'
import { whenWords } from '../../text/time.ts'
import { lengthWords } from '../../../core/words/length.ts'
import { passingWords, staysWords, verdictWords } from '../../text/standing.ts'
import AccessBand from '../common/AccessBand.vue'
import ActButton from '../common/ActButton.vue'
import SelectField from '../common/SelectField.vue'
import { boardText } from '../../text/board.ts'

/**
 * Whether a device, or everyone of one of its groups, can reach an address or an app at the moment, why, when
 * that would change, and what the gateway saw of it.
 */
const props = defineProps<{
  person: Person
  name: string
  /** The same as the subject of an override, and whether one may make one. */
  who: Whom
  mayAct: boolean
}>()
/** The longest time ahead that can be asked about. */
const MAX_RANGE_SECONDS = 400 * DAY
const ALLOWED_SECONDS = 30 * MINUTE
const { busy, make } = useOverride()
const [place, gateway, moment, history, board] = [
  usePlace(),
  useGateway(),
  useMoment(),
  useHistory(),
  useBoard(),
]
const text = ref('')
const policy = shallowRef<Policy | null>(null)
const trouble = ref('')
const minute = computed(() => startOfMinute(moment.at))
const asked = computed(() => text.value.trim() !== '')
let newest = 0
// By the true instant: what was applied a moment ago decides already.
const periodShown = computed(() => (history.periods.length > 0 ? history.periodAt(moment.at) : null))
watch([asked, periodShown], async ([wanted, period]) => {
  if (!wanted || !period) return
  const turn = ++newest
  try {
    const found = await history.wholeAt(moment.at)
    // An answer for a moment that the needle has left is dropped.
    if (turn !== newest) return
    policy.value = found
    trouble.value = ''
  } catch (error) {
    if (turn === newest) trouble.value = wordsOf(error)
  }
})
/** The group for which it is asked, by its id; none for the device alone. */
const group = ref('')
const groups = computed(() =>
  board.policy.groups.filter(
    ({ members }) => props.person.device !== null && members.includes(props.person.device),
  ),
)
const compiled = computed(() => policy.value && compiledOf(policy.value))
/** Until when it is asked, as typed: nothing = for seven days. */
const typed = ref('')
const until = computed(() =>
  typed.value.trim() === '' ? minute.value + 7 * DAY : readSpoken(typed.value, place.zone, moment.now),
)
const spanFault = computed(() => {
  if (until.value === null) return boardText.notATime(typed.value)
  if (until.value <= minute.value) return boardText.beforeMomentShown
  if (until.value > minute.value + MAX_RANGE_SECONDS) return boardText.tooFar
  return ''
})
/** The end of the span, in seconds; what cannot be read counts as seven days. */
const end = computed(() => (spanFault.value ? minute.value + 7 * DAY : until.value!))
/** The app that is named, if one is. */
const namedApp = computed(() =>
  policy.value?.apps.find(({ name }) => name.toLowerCase() === text.value.trim().toLowerCase()),
)
/**
 * The destinations of the question: an address, a service, or the names, addresses and services of an app.
 */
const targets = computed(
  ():
    readonly { readonly label: string; readonly destination: Destination }[] | { readonly fault: string } => {
    const said = text.value.trim()
    const app = namedApp.value
    const texts = app ? [...app.sites.map((site) => site.replace(/\/.*$/, '')), ...app.services] : [said]
    const read = texts.map((label) => ({
      label,
      destination: destinationOf(readService(label)) ?? readDestination(label),
    }))
    const bad = read.find(({ destination }) => 'fault' in destination)
    if (bad) return bad.destination as { fault: string }
    return read as { label: string; destination: Destination }[]
  },
)
// Of a service the first port, towards its block where it has one.
function destinationOf(service: Service | null): Destination | null {
  return (
    service && {
      host: null,
      address: service.towards,
      protocol: service.protocol,
      port: service.ports[0]!.first,
    }
  )
}
/** The part of the internet that is asked about, as an override names it. */
const part = computed((): Partial<What> => {
  const said = text.value.trim()
  if (namedApp.value) return { apps: [namedApp.value.id] }
  if (readService(said)) return { services: [said] }
  const read = readDestination(said)
  return { sites: 'fault' in read ? [] : [read.host ?? read.address!.text] }
})
/** Allows what the answer says no to, for a while from now on. */
function allow() {
  const chosen = groups.value.find(({ id }) => id === group.value)
  return make(
    'allow',
    chosen ? { devices: [], groups: [chosen.id] } : props.who,
    { from: null, lasts: ALLOWED_SECONDS, until: null },
    boardText.allowedPart(chosen?.name ?? props.name, text.value.trim(), lengthWords(ALLOWED_SECONDS)),
    part.value,
  )
}
/** Whether it can be allowed here: it is about this moment, and the answer is no. */
const mayAllow = computed(
  () =>
    moment.isNow &&
    props.mayAct &&
    !('fault' in targets.value) &&
    (ofGroup.value
      ? ofGroup.value.some(({ each }) => each.some(({ spans }) => fromMoment(spans)[0]?.effect === 'block'))
      : answers.value.some(({ isBlocked }) => isBlocked)),
)
/** Addresses of this network, by where devices were seen: what stays within it is nobody's to block. */
const isLocal = ({ address }: Destination) =>
  address !== null &&
  address.first === address.last &&
  gateway.sightings.some((seen) => seen.addresses.some((text) => readAddress(text)?.first === address.first))
const verdicts = computed(() => {
  if (!asked.value || !compiled.value || 'fault' in targets.value) return []
  const ready = compiled.value
  const subject = subjectOf(ready, props.person)
  return targets.value.map(({ label, destination }) => ({
    label,
    destination,
    spans: verdictSpans(ready, subject, destination, minute.value, end.value),
  }))
})
/** The spans from the moment on: worked out once a minute, they begin with what decides at this second. */
const fromMoment = (spans: readonly VerdictSpan[]) =>
  spans
    .filter(({ until }) => until > moment.at)
    .map((span) => ({ ...span, from: Math.max(span.from, moment.at) }))
/**
 * The number of devices of the group that can, and those that cannot, with the reason; with the first instant
 * at which that changes for one of them.
 */
const ofGroup = computed(() => {
  const whole = groups.value.find(({ id }) => id === group.value)
  if (!whole || !asked.value || !compiled.value || 'fault' in targets.value) return null
  const ready = compiled.value
  const members = ready.policy.devices.filter(({ id }) => whole.members.includes(id))
  return targets.value.map(({ label, destination }) => ({
    label,
    each: members.map(({ id, name }) => ({
      name,
      spans: verdictSpans(ready, deviceSubject(id), destination, minute.value, end.value),
    })),
  }))
})
/** The same in words, as of the moment. */
const groupAnswers = computed(() => {
  const groupName = groups.value.find(({ id }) => id === group.value)?.name ?? ''
  return ofGroup.value?.map(({ label, each: all }) => {
    const each = all.map(({ name, spans }) => ({ name, spans: fromMoment(spans) }))
    const closed = each.filter(({ spans }) => spans[0]!.effect === 'block')
    const turn = Math.min(
      ...each.map(({ spans }) => spans.find(({ effect }) => effect !== spans[0]!.effect)?.from ?? Infinity),
    )
    let lead
    if (closed.length === 0) lead = boardText.yesAllOf(each.length, groupName)
    else if (closed.length === each.length) lead = boardText.noNoneOf(groupName)
    else
      lead = boardText.someCanReach(
        each.length - closed.length,
        each.length,
        groupName,
        closed.map(({ name }) => name),
      )
    return {
      label,
      words: `${lead}. ${turn === Infinity ? staysWords(end.value, moment.at, place.zone) : boardText.itChanges(/^\d/.test(whenWords(turn, moment.at, place.zone)), whenWords(turn, moment.at, place.zone))}`,
    }
  })
})
// The counts of the gateway change every second, the verdicts do not.
const answers = computed(() => {
  return verdicts.value.map(({ label, destination, spans: all }) => {
    const spans = fromMoment(all)
    const tries = (gateway.evidence?.recent ?? []).filter(
      (flow) => props.person.macs.includes(flow.mac) && sameHost(flow.to, destination),
    )
    const [last] = tries
    // Tries are told by where they went; of a bare service nothing can be said.
    let seen
    if (destination.host === null && destination.address === null) seen = ''
    else if (last)
      seen = boardText.lastAttempt(
        lengthWords(moment.now + (gateway.answered?.ahead ?? 0) - readInstant(last.at)!),
        last.effect === 'block',
      )
    else seen = boardText.noRecentAttempt
    return {
      label,
      words: isLocal(destination) ? boardText.yesLocalNetwork : verdictWords(spans, policy.value!, moment.at),
      seen,
      isBlocked: !isLocal(destination) && spans[0]?.effect === 'block',
      times: passingWords(spans, place.zone),
      band: spans.map(({ from, until, effect }) => ({
        from,
        until,
        state: effect === 'allow' ? ('open' as const) : ('cut-off' as const),
      })),
    }
  })
})
function sameHost(to: string, { host, address }: Destination): boolean {
  const read = readDestination(to)
  return (
    !('fault' in read) &&
    (host !== null ? read.host === host : address !== null && read.address?.text === address.text)
  )
}
</script>

<template>
  <div class="ask">
    <UInput
      v-model="text"
      :aria-label="boardText.canReach(name)"
      class="w-full"
      :placeholder="boardText.canItReach"
      spellcheck="false"
    />
    <p v-if="asked && groups.length > 0" class="for">
      {{ boardText.forWord }}
      <SelectField
        v-model="group"
        :label="boardText.forWhom(name)"
        :items="[
          { value: '', label: name },
          ...groups.map((one) => ({ value: one.id, label: boardText.allOf(one.name) })),
        ]"
      />
    </p>
    <p v-if="asked" class="for">
      <label
        >{{ boardText.untilWord }}
        <UInput
          v-model="typed"
          class="w-40"
          :aria-label="boardText.askedUntil"
          :placeholder="boardText.inSevenDays"
          spellcheck="false"
      /></label>
      {{ ' ' }}
      <span v-if="spanFault" class="fault" role="alert">{{ spanFault }}</span>
    </p>
    <div v-if="asked" role="status">
      <p v-if="trouble" class="fault">{{ trouble }}</p>
      <p v-else-if="'fault' in targets" class="fault">{{ targets.fault }}</p>
      <template v-else-if="groupAnswers"
        ><p v-for="answer in groupAnswers" :key="answer.label" class="answer">
          <b v-if="groupAnswers.length > 1">{{ answer.label }}: </b
          ><span data-testid="group-verdict">{{ answer.words }}</span>
        </p></template
      >
      <template v-else>
        <div v-for="answer in answers" :key="answer.label" class="answer">
          <p>
            <b v-if="answers.length > 1">{{ answer.label }}: </b
            ><span data-testid="verdict">{{ answer.words }}</span>
            {{ ' ' }}
            <span v-if="moment.isNow" class="soft">{{ answer.seen }}</span>
          </p>
          <AccessBand
            :stretches="answer.band"
            :from="minute"
            :until="end"
            :width="246"
            :height="10"
            :label="boardText.whenPassesUntilThen(answer.label)"
          />
          <details v-if="answer.times.length > 0">
            <summary>{{ boardText.allAllowedTimes }}</summary>
            <ul data-testid="passes">
              <li v-for="words in answer.times" :key="words">{{ words }}</li>
            </ul>
          </details>
        </div>
      </template>
      <ActButton v-if="mayAllow" class="allow" :loading="busy" @click="allow">{{
        boardText.allowItFor(lengthWords(ALLOWED_SECONDS))
      }}</ActButton>
    </div>
  </div>
</template>

<style scoped>
.ask {
  margin-top: 14px;
  font-size: 13px;
}
details {
  margin-top: 4px;
  color: var(--soft);
}
summary {
  cursor: pointer;
}
ul {
  margin: 4px 0 0 14px;
}
.for {
  color: var(--soft);
  margin-top: 6px;
}
.answer,
.allow {
  margin-top: 8px;
}
b {
  font-weight: 600;
}
.fault {
  color: var(--danger);
  margin-top: 6px;
}
</style>
