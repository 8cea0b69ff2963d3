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
