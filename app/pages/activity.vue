<script setup lang="ts">
import { computed, ref } from 'vue'
import { readInstant } from '../../core/time/instant.ts'
import type { Alarm } from '../../protocol/gateway/alarm.ts'
import { NOTHING, plus } from '../../protocol/gateway/evidence.ts'
import ConnectionList from '../components/activity/ConnectionList.vue'
import LookupSearch from '../components/activity/LookupSearch.vue'
import PretendTrouble from '../components/activity/PretendTrouble.vue'
import UsageView from '../components/activity/UsageView.vue'
import { useBoard } from '../stores/board.ts'
import { useMoment } from '../stores/moment.ts'
import { useGateway } from '../stores/gateway.ts'
import { useLive } from '../stores/live.ts'
import { usePlace } from '../stores/place.ts'
import { alarmWords } from '../../protocol/gateway/alarm-words.ts'
import { bytesWords, trafficWords } from '../text/gateway.ts'
import { secondWords, whenWords } from '../text/time.ts'
import { activityText } from '../text/activity.ts'
import MarkedText from '../components/common/MarkedText.vue'

useHead({ title: activityText.pageTitle })
const [live, place, gateway, board, moment] = [useLive(), usePlace(), useGateway(), useBoard(), useMoment()]
gateway.readEvidence()
const isUsageAnswered = ref(false)
const nameOf = computed(
  () => new Map(board.rows.flatMap((row) => row.macs.map((mac): [string, string] => [mac, row.name]))),
)
const ruleName = (id: string | null) =>
  id === null
    ? ''
    : (live.answer.policy.rules.find((rule) => rule.id === id)?.name ??
      (live.answer.policy.overrides.find((override) => override.id === id)?.note || activityText.anOverride))
const time = (instant: string) => secondWords(readInstant(instant)!, moment.now, place.zone)
const since = computed(() => (gateway.evidence?.since ? time(gateway.evidence.since) : ''))
const dropped = computed(
  () => gateway.evidence?.devices.reduce((sum, count) => plus(sum, count.dropped), NOTHING) ?? NOTHING,
)
// Many devices with the same trouble are one line.
const alarms = computed(() => {
  const alike = new Map<string, Alarm[]>()
  for (const alarm of gateway.answered?.status?.alarms ?? []) {
    const key = `${alarm.kind} ${alarm.because ?? alarm.about}`
    alike.set(key, [...(alike.get(key) ?? []), alarm])
  }
  return [...alike].map(([key, all]) => {
    const [{ mac, because, since }] = all as [Alarm]
    const device =
      mac === null
        ? ''
        : `${nameOf.value.get(mac) ?? mac}${all.length === 1 ? '' : activityText.andMore(all.length - 1)}`
    const about = mac === null ? all[0]!.about : String(all.reduce((sum, one) => sum + Number(one.about), 0))
    return { key, since, ...alarmWords({ ...all[0]!, about }, device, ruleName(because)) }
  })
})
const isUnconnected = computed(() => gateway.answered?.state === 'none')
const byDevice = computed(() =>
  [...(gateway.evidence?.devices ?? [])]
    .sort((a, b) => b.dropped.packets - a.dropped.packets || b.passed.packets - a.passed.packets)
    .map((count) => ({ ...count, key: count.mac, name: nameOf.value.get(count.mac) ?? count.mac })),
)
const byClause = computed(() =>
  [...(gateway.evidence?.clauses ?? [])]
    .sort((a, b) => b.dropped.packets - a.dropped.packets || b.passed.packets - a.passed.packets)
    .map((count) => ({ ...count, key: count.id, name: ruleName(count.id) })),
)
/** Rules that are only logged: how much they spoke of. */
const logged = computed(() => byClause.value.filter(({ logged }) => logged.packets > 0))
const tables = computed(() =>
  [
    { title: activityText.byDevice, head: activityText.device, rows: byDevice.value },
    { title: activityText.byRule, head: activityText.rule, rows: byClause.value },
  ].filter(({ rows }) => rows.length > 0),
)
</script>

<template>
  <section :aria-label="activityText.activity">
    <p v-if="gateway.answered?.state === 'away'" class="trouble" role="alert">
      {{ activityText.lastReports }}
    </p>
    <h1 v-if="alarms.length > 0"><MarkedText :text="activityText.alarmsAtGateway(alarms.length)" /></h1>
    <h1 v-else-if="gateway.evidence">
      <MarkedText :text="activityText.sinceThen(since, trafficWords(dropped))" />
    </h1>
    <h1 v-else-if="isUnconnected">{{ activityText.noGateway }}</h1>
    <h1 v-else>{{ activityText.loadingActivity }}</h1>
    <p v-if="isUnconnected" class="soft">{{ activityText.nothingCounted }}</p>
    <ul v-if="alarms.length > 0" class="alarms" :aria-label="activityText.alarms">
      <li v-for="alarm in alarms" :key="alarm.key">
        <b>{{ alarm.what }}</b> <span class="soft">{{ activityText.sinceTime(time(alarm.since)) }}</span>
        {{ alarm.remedy }}
      </li>
    </ul>
    <p v-if="alarms.length > 0 && gateway.evidence">
      {{ activityText.droppedSince(since, trafficWords(dropped)) }}
    </p>
    <p v-if="gateway.evidence" class="soft">
      {{ activityText.countedByGateway }}
      <template v-if="!moment.isNow">{{
        activityText.shownUntil(whenWords(moment.at, moment.now, place.zone))
      }}</template>
    </p>
    <p v-if="gateway.evidence && byDevice.length === 0" class="empty">{{ activityText.noTrafficYet }}</p>
    <UsageView
      v-if="gateway.evidence || isUnconnected"
      :key="String(isUnconnected)"
      @answered="isUsageAnswered = true"
    />
    <div v-if="isUsageAnswered && byDevice.length > 0" class="both">
      <ConnectionList :name-of="(mac) => nameOf.get(mac) ?? mac" :rule-name="ruleName" />
      <div>
        <table v-for="table in tables" :key="table.title" class="numbers">
          <caption>
            {{
              activityText.inPackets(table.title)
            }}
          </caption>
          <thead>
            <tr>
              <th scope="col">{{ table.head }}</th>
              <th scope="col">{{ activityText.dropped }}</th>
              <th scope="col">{{ activityText.passed }}</th>
              <th scope="col">{{ activityText.size }}</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="count in table.rows"
              :key="count.key"
              :title="
                count.lastDrop ? activityText.lastDrop(time(count.lastDrop.at), count.lastDrop.to) : undefined
              "
            >
              <th scope="row">{{ count.name }}</th>
              <td :class="{ some: count.dropped.packets > 0 }">
                {{ count.dropped.packets.toLocaleString('en') }}
              </td>
              <td>{{ count.passed.packets.toLocaleString('en') }}</td>
              <td class="soft">{{ count.passed.bytes > 0 ? bytesWords(count.passed.bytes) : '' }}</td>
            </tr>
          </tbody>
        </table>
        <p v-for="{ key, name, logged: count } in logged" :key="key" class="logged">
          <b>{{ name }}</b> {{ activityText.logOnlyWould(trafficWords(count)) }}
        </p>
        <PretendTrouble v-if="gateway.answered?.status?.plane === 'simulated'" />
      </div>
    </div>
    <LookupSearch v-if="isUsageAnswered" :key="String(isUnconnected)" />
  </section>
</template>

<style scoped>
.trouble {
  margin-bottom: 8px;
}
.empty {
  margin-top: 16px;
}
.alarms {
  margin: 10px 0 14px;
  border-top: 1px solid var(--hair);
}
.alarms li {
  display: block;
  padding: 8px 0;
  font-size: 15px;
  color: var(--ink);
}
.alarms b {
  color: var(--danger);
}
.logged {
  font-size: 13px;
  margin: -12px 0 20px;
}
.both {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  gap: 34px;
  margin-top: 18px;
  align-items: start;
}
caption {
  text-align: left;
  font: 500 20px var(--font-head);
  margin-bottom: 8px;
}
table {
  width: 100%;
  margin-bottom: 24px;
}
td.some {
  font-weight: 600;
}
@media (max-width: 760px) {
  .both {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
