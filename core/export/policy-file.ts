import { stringify } from 'yaml'
import { documentOf } from '../policy/canonical.ts'
import type { Policy } from '../policy/types.ts'

/**
 * Writes a policy as a file: JSON with two blanks a step, or YAML; what is missing by default is left out.
 */
export function writePolicyFile(policy: Policy, form: 'json' | 'yaml'): string {
  const document = documentOf({ ...policy, overrides: [] })
  return form === 'json' ? `${JSON.stringify(document, null, 2)}\n` : stringify(document)
}
