import { canonicalText, digestOfText } from '../../core/policy/canonical.ts'
import type { Policy } from '../../core/policy/types.ts'

/**
 * A policy on its way to a gateway, as the JSON of a Proposal in UTF-8: the document is the canonical text, as
 * it is, so that a policy with a million names is written once.
 */
export function proposalOf(policy: Policy): Uint8Array<ArrayBuffer> {
  const text = canonicalText(policy)
  return new TextEncoder().encode(`{"document":${text},"digest":"${digestOfText(text)}"}`)
}
