import { LRUCache } from 'lru-cache'
import { giveSites, packSites, siteSetOf } from '../../core/destination/matcher.ts'
import { namesText } from '../../core/destination/name-set.ts'
import { bareList, canonicalText, digestOf } from '../../core/policy/canonical.ts'
import { readOverrides, readPolicy } from '../../core/policy/read.ts'
import type { Fault } from '../../core/policy/shape.ts'
import type { Policy } from '../../core/policy/types.ts'
import { MalformedProposal, type Proposal } from '../../protocol/gateway/gateway.ts'

/** A policy that was read, with its digest; or every fault of the document. */
export type Read =
  { readonly policy: Policy; readonly digest: string } | { readonly faults: readonly Fault[] }

/**
 * Reads what a gateway is told. A policy may hold a million names, which takes seconds: where look-ups are
 * answered beside it, a thread of its own does it (`threadedReader`).
 * The `entries` of lists may be missing from what it answers; what they hold is known to `siteSetOf`.
 */
export interface PolicyReader {
  /**
   * A document, as JSON.
   *
   * @throws SyntaxError where it is none
   */
  document(json: string): Promise<Read>
  /**
   * A document that should have a digest, or the JSON of both (bytes).
   *
   * @throws MalformedProposal
   */
  proposal(proposal: Proposal | Uint8Array): Promise<Read>
  /**
   * The policy with a digest, with other overrides and the digest that it should have then. The first was
   * read lately, else that is a fault.
   */
  amended(base: string, overrides: unknown, digest: string): Promise<Read>
  /** The canonical text of a policy that was read lately, in UTF-8. */
  text(digest: string): Promise<Uint8Array>
  stop(): void
}

/** The number of policies that are remembered after they were read. */
const MAX_KNOWN_POLICIES = 2

/** Reads in this thread. */
export function readerHere(): PolicyReader {
  const known = new LRUCache<string, Policy>({ max: MAX_KNOWN_POLICIES })
  const remember = (policy: Policy, digest: string): Read => {
    const light = withoutLongLists(policy)
    known.set(digest, light)
    return { policy: light, digest }
  }
  const withDigest = (policy: Policy, digest: string): Read =>
    digestOf(policy) === digest
      ? remember(policy, digest)
      : { faults: [{ path: 'digest', message: 'is not the digest of this document: send both anew' }] }
  return {
    document: async (json) => {
      const result = readPolicy(JSON.parse(json))
      return 'faults' in result ? result : remember(result.policy, digestOf(result.policy))
    },
    proposal: async (sent) => {
      const { document, digest } = sent instanceof Uint8Array ? parsed(sent) : sent
      // A policy that was checked is mostly enforced next; its digest finds it again.
      const same = known.get(digest)
      if (same) return remember(same, digest)
      const result = readPolicy(document)
      return 'faults' in result ? result : withDigest(result.policy, digest)
    },
    amended: async (base, overrides, digest) => {
      const policy = known.get(base)
      if (!policy)
        return {
          faults: [
            {
              path: '',
              message: 'stand beside a policy that is not known any more: send the whole document',
            },
          ],
        }
      const result = readOverrides(overrides, policy)
      return 'faults' in result ? result : withDigest({ ...policy, overrides: result.overrides }, digest)
    },
    text: async (digest) => {
      const policy = known.get(digest)
      if (!policy) throw new Error('The policy is not known any more; send it again.')
      return new TextEncoder().encode(canonicalText(policy))
    },
    stop: () => {},
  }
}

/** The number of sites from which a list is held in its packed form alone. */
const LONG_LIST_SITES = 10_000

/** The same policy without the texts of long lists: what these hold, matchers and canonical texts know. */
function withoutLongLists(policy: Policy): Policy {
  if (policy.siteLists.every(({ entries }) => entries.length < LONG_LIST_SITES)) return policy
  const siteLists = policy.siteLists.map((list) => {
    if (list.entries.length < LONG_LIST_SITES) return list
    const packed = packSites(list.entries)
    // Packed names are in their order; where the list says more than they do, such as addresses, its text
    // is kept.
    const whole = JSON.stringify(list.entries)
    const text = namesText(packed.names) === whole ? null : whole
    const bare = bareList(list, () => text ?? namesText(siteSetOf(bare.entries).packed.names))
    giveSites(bare.entries, packed)
    return bare
  })
  return { ...policy, siteLists }
}

function parsed(bytes: Uint8Array): Proposal {
  let body: unknown
  try {
    body = JSON.parse(new TextDecoder().decode(bytes))
  } catch {
    throw new MalformedProposal('The body must be a JSON object')
  }
  if (typeof body !== 'object' || body === null || Array.isArray(body))
    throw new MalformedProposal('The body must be a JSON object')
  const { document, digest } = body as Partial<Proposal>
  if (typeof digest !== 'string' || !('document' in body))
    throw new MalformedProposal('A proposal has a document and its digest')
  return { document, digest }
}
