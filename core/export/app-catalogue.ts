import { stringify } from 'yaml'
import type { App } from '../policy/types.ts'

/** Writes apps as a catalogue, in YAML. */
export function writeCatalogue(apps: readonly App[]): string {
  return stringify({
    'kairostat-apps': 1,
    'apps': apps.map(({ id, name, category, sites, services, note }) => ({
      id,
      name,
      category,
      ...(sites.length > 0 && { sites }),
      ...(services.length > 0 && { services }),
      ...(note !== '' && { note }),
    })),
  })
}
