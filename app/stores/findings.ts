import { startOfHour } from '../../core/time/duration.ts'
import { defineStore } from 'pinia'
import { computed } from 'vue'
import { adapterFindings, type AdapterFinding } from '../../core/findings/adapters.ts'
import type { PolicyFinding } from '../../core/findings/rules.ts'
import { versionTag } from '../../core/policy/canonical.ts'
import type { DismissalAnswer } from '../../protocol/answers.ts'
import { useDecided } from '../composables/useDecider.ts'
import { findingWords } from '../../core/words/device.ts'
import { policyFindingWords } from '../text/finding.ts'
import { useMoment } from './moment.ts'
import { useDraftPolicy } from './draft.ts'
import { useGateway } from './gateway.ts'
import { useLive } from './live.ts'

/**
 * A finding of the draft as it is shown: by its mark, in words, whether it was dismissed, and whether what is
 * live has it too.
 */
export interface ShownFinding {
  readonly mark: string
  readonly finding: PolicyFinding | AdapterFinding
  readonly words: string
  readonly dismissal: DismissalAnswer | undefined
  readonly isNew: boolean
}

/** The warnings on the draft. */
export const useFindings = defineStore('findings', () => {
  const [draft, live, gateway, moment] = [useDraftPolicy(), useLive(), useGateway(), useMoment()]
  const hour = computed(() => startOfHour(moment.now))
  const own = computed(() => gateway.sightings.filter(({ yours }) => yours).map(({ mac }) => mac))
  const inDraft = useDecided(
    () =>
      draft.answered && {
        kind: 'findings' as const,
        policy: draft.answered,
        now: hour.value,
        own: own.value,
      },
  )
  const inLive = useDecided(
    () =>
      live.answered && {
        kind: 'findings' as const,
        policy: live.answered.policy,
        now: hour.value,
        own: own.value,
      },
  )
  const all = computed((): readonly ShownFinding[] | null => {
    const [edited, current] = [draft.answered, live.answered]
    if (!edited || !current || !inDraft.value || !inLive.value) return null
    const dismissals = new Map(draft.dismissals.map((one) => [one.mark, one]))
    const known = new Set(
      [...inLive.value, ...adapterFindings(current.policy, gateway.sightings)].map(markOfFinding),
    )
    const shown = (finding: PolicyFinding | AdapterFinding, words: string): ShownFinding => {
      const mark = markOfFinding(finding)
      return { mark, finding, words, dismissal: dismissals.get(mark), isNew: !known.has(mark) }
    }
    return [
      ...inDraft.value.map((finding) => shown(finding, policyFindingWords(finding, edited, hour.value))),
      ...adapterFindings(edited, gateway.sightings).map((finding) =>
        shown(
          finding,
          `${edited.devices.find(({ id }) => id === finding.device)!.name}: ${findingWords(finding, edited).full}`,
        ),
      ),
    ]
  })
  /** The findings about rules and devices that nobody dismissed, by the id of what they are about. */
  const about = computed(() => {
    const places = new Map<string, PolicyFinding[]>()
    for (const { finding, dismissal } of all.value ?? []) {
      if (!dismissal && isPolicyFinding(finding))
        for (const place of placesOf(finding)) places.set(place, [...(places.get(place) ?? []), finding])
    }
    return places
  })
  return { all, about }
})

/** Whether a finding is one about the policy, not about a device's adapters. */
export function isPolicyFinding(finding: PolicyFinding | AdapterFinding): finding is PolicyFinding {
  return !['second-adapter', 'wifi-missing', 'one-machine'].includes(finding.kind)
}

// The instant moves on with the clock, and would make another finding of it.
function markOfFinding(finding: PolicyFinding | AdapterFinding): string {
  return versionTag({ ...finding, first: null })
}

/** The rules and devices that a finding is about, as "rule:id" and "device:id". */
function placesOf(finding: PolicyFinding): string[] {
  if ('devices' in finding) return finding.devices.map((id) => `device:${id}`)
  if ('rules' in finding) return finding.rules.map((id) => `rule:${id}`)
  if ('rule' in finding)
    return [`rule:${finding.rule}`, ...('other' in finding ? [`rule:${finding.other}`] : [])]
  return finding.kind === 'own-machine' ? [`device:${finding.device}`] : []
}
