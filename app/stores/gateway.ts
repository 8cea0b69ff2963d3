import { defineStore } from 'pinia'
import { useIntervalFn } from '@vueuse/core'
import { computed, onScopeDispose, shallowRef } from 'vue'
import type { Seen } from '../../core/change/hours.ts'
import type { Evidence } from '../../protocol/gateway/evidence.ts'
import type { GatewayAnswer, SeenNameAnswer, SightingAnswer } from '../../protocol/answers.ts'
import { keepEqual } from '../composables/keepEqual.ts'
import { oneAtATime } from '../composables/oneAtATime.ts'
import { callApi } from '../composables/useApi.ts'
import { useDraftPolicy } from './draft.ts'
import { useSession } from './session.ts'

/** The time between two questions for the names that were seen, in milliseconds. */
const NAMES_EVERY_MS = 30_000

/** The reports of the gateway: its standing, the devices that it sees, and its counts. */
export const useGateway = defineStore('gateway', () => {
  const [draft, session] = [useDraftPolicy(), useSession()]
  /** Its standing; `null` until it was answered. */
  const answered = shallowRef<GatewayAnswer | null>(null)
  const sightings = shallowRef<readonly SightingAnswer[]>([])
  const evidence = shallowRef<Evidence | null>(null)
  /** The names that were looked up lately; `null` until something on the screen needs them. */
  const seenNames = shallowRef<readonly SeenNameAnswer[] | null>(null)

  const loadSightings = oneAtATime(async () => {
    sightings.value = await callApi('GET', '/api/sightings')
  })
  const load = oneAtATime(async () => {
    const before = answered.value?.state
    answered.value = await callApi<GatewayAnswer>('GET', '/api/gateway')
    const { state } = answered.value
    // Devices and counts of a gateway that is no longer connected are not shown on.
    if (state === 'none') evidence.value = null
    if (before !== undefined && before !== state && (state === 'none' || before === 'none'))
      await loadSightings()
  })
  const loadNames = oneAtATime(async () => {
    seenNames.value = await callApi('GET', '/api/lookups')
  })

  // It changes every second, so it is asked for only while something on the screen shows it.
  let readers = 0
  const loadEvidence = oneAtATime(async () => {
    if (readers > 0 && answered.value?.state !== 'away' && answered.value?.state !== 'none')
      evidence.value = await callApi('GET', '/api/evidence')
  })
  /** Keeps the evidence up to date as long as the component that calls this is there. */
  function readEvidence(): void {
    readers++
    onScopeDispose(() => readers--)
    void session.load(['evidence'])
  }

  /**
   * Keeps the names seen up to date, to the half minute, as long as the component that calls this is there.
   */
  function readNames(): void {
    useIntervalFn(() => void session.load(['names']), NAMES_EVERY_MS, { immediateCallback: true })
    onScopeDispose(() => session.faults.delete('names'))
  }

  /**
   * The position of each address that was seen on the network and is connected, or belongs to a device. Plain
   * data, for a worker; the same object while it says the same.
   */
  const whereabouts = computed((before?: readonly Seen[]) => {
    const macs = new Set(draft.answered?.devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac)))
    const seen = sightings.value
      .filter(({ connected, mac }) => connected || macs.has(mac))
      .map(({ mac, interface: seenOn, addresses }): Seen => ({
        mac,
        interface: seenOn,
        addresses: [...addresses],
      }))
    return keepEqual(before, seen)
  })

  /** Returns the name of an unknown device: the one that it gave itself, or its address. */
  function nameOfMac(mac: string): string {
    return sightings.value.find((seen) => seen.mac === mac)?.hostName ?? mac
  }

  /** Whether one of these addresses is of the machine that the page is shown on. */
  function isYours(macs: readonly string[]): boolean {
    return sightings.value.some(({ yours, mac }) => yours && macs.includes(mac))
  }

  session.follows('gateway', load)
  session.follows('sightings', loadSightings)
  session.follows('evidence', loadEvidence)
  session.follows('names', loadNames)

  return {
    answered,
    sightings,
    evidence,
    seenNames,
    whereabouts,
    readEvidence,
    readNames,
    nameOfMac,
    isYours,
  }
})
