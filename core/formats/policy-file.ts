import { stringify } from 'yaml'
import { documentOf } from '../policy/canonical.ts'
import { readPolicy } from '../policy/read.ts'
import type { Policy } from '../policy/types.ts'
import { readLines, type FileFault } from './lines.ts'

/**
 * Reads a policy document out of a file in JSON or YAML: the policy, or every fault with its line. Never
 * throws.
 */
export function readPolicyFile(
  text: string,
): { readonly policy: Policy } | { readonly faults: readonly FileFault[] } {
  return readLines(text, readPolicy)
}

/**
 * Writes a policy as a file: JSON with two blanks a step, or YAML; what is missing by default is left out.
 */
export function writePolicyFile(policy: Policy, form: 'json' | 'yaml'): string {
  const document = documentOf({ ...policy, overrides: [] })
  return form === 'json' ? `${JSON.stringify(document, null, 2)}\n` : stringify(document)
}
