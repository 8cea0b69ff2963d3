import { versionTag } from '../policy/canonical.ts'
import { entryCalled } from '../policy/id.ts'
import { catalogue } from '../policy/parts.ts'
import type { Fault } from '../policy/shape.ts'
import type { App } from '../policy/types.ts'
import { readLines, type FileFault } from './lines.ts'

/**
 * An app of a catalogue, beside the one of the policy that it is about: the one with its id, else with its
 * name; `null` where it is new.
 */
export interface CatalogueRow {
  readonly app: Omit<App, 'id'>
  readonly was: App | null
  readonly change: 'added' | 'changed' | 'same'
}

/**
 * Reads a catalogue of apps out of a file in JSON or YAML (docs/formats.md) against the apps there are, or
 * answers every fault with its line. Never throws.
 */
export function readCatalogue(
  text: string,
  apps: readonly App[],
): { readonly rows: readonly CatalogueRow[] } | { readonly faults: readonly FileFault[] } {
  return readLines(
    text,
    (value): { readonly rows: readonly CatalogueRow[] } | { readonly faults: readonly Fault[] } => {
      const faults: Fault[] = []
      const { apps: read } = catalogue(value, '', faults)
      const said = new Set<string>()
      const rows = read.map(({ id, ...app }, index): CatalogueRow => {
        const was = entryCalled(apps, id ?? app.name) ?? entryCalled(apps, app.name) ?? null
        const key = was?.id ?? `name ${app.name}`
        if (said.has(key))
          faults.push({
            path: `apps[${index}].name`,
            message: `"${app.name}" stands for an app that the file names already: give it another name`,
          })
        said.add(key)
        return {
          app,
          was,
          change: changeOf(was, app),
        }
      })
      return faults.length > 0 ? { faults } : { rows }
    },
  )
}

function changeOf(was: App | null, app: Omit<App, 'id'>): CatalogueRow['change'] {
  if (was === null) return 'added'
  return versionTag(was) === versionTag({ ...app, id: was.id }) ? 'same' : 'changed'
}
