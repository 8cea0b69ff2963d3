import equal from 'fast-deep-equal'
import { computed, ref, watch } from 'vue'
import { FIRST_SETTINGS, type Settings } from '../../protocol/gateway/settings.ts'
import { useGateway } from '../stores/gateway.ts'
import { useDraft } from './useDraft.ts'

type Editable<T> = T extends readonly (infer U)[]
  ? U[]
  : T extends object
    ? { -readonly [K in keyof T]: Editable<T[K]> }
    : T

/**
 * A form of some of the settings that the gateway stores: a copy to edit, whether it differs from what is
 * stored, and what saves it, which leaves the other settings as they are.
 *
 * @param keys the names of the settings
 */
export function useGatewaySettings<K extends keyof Settings>(...keys: K[]) {
  const gateway = useGateway()
  const { busy, trouble, send } = useDraft()
  const kept = computed((): Settings | null => gateway.answered?.status?.settings ?? null)
  const copyOf = (settings: Settings) =>
    JSON.parse(JSON.stringify(Object.fromEntries(keys.map((key) => [key, settings[key]])))) as Editable<
      Pick<Settings, K>
    >
  const form = ref(copyOf(kept.value ?? FIRST_SETTINGS))
  const isKept = (settings: Settings) => equal(form.value, copyOf(settings))
  // A setting that somebody else changed meanwhile is taken over where nothing was changed here.
  watch(kept, (now, before) => {
    if (now && (!before || isKept(before))) undo()
  })
  function undo() {
    form.value = copyOf(kept.value ?? FIRST_SETTINGS)
  }
  const isAway = computed(() => !gateway.answered?.status || gateway.answered.state === 'away' || !kept.value)
  const isChanged = computed(() => kept.value !== null && !isKept(kept.value))
  const save = () => send('PUT', '/api/gateway/settings', { ...kept.value, ...form.value })
  return { kept, form, isAway, isChanged, busy, trouble, save, undo }
}
