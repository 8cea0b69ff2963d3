import type { FoundEntry, PlaceSummary } from '../../protocol/places.ts'

/** Whether somebody should look at a place. */
export function attentionOf({ gateway, alarms, requests }: PlaceSummary): boolean {
  return gateway === 'away' || gateway === 'refused' || alarms > 0 || requests > 0
}

/** With what the addresses of entries of each kind begin, before their ids. */
export const ENTRY_PATHS: Readonly<Record<FoundEntry['kind'], string>> = {
  device: '/?device=',
  network: '/devices?network=',
  group: '/devices?group=',
  schedule: '/schedules/',
  siteList: '/sites/lists/',
  app: '/sites/apps/',
  rule: '/rules/',
}
