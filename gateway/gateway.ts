import { compile, subjectOfMac } from '../core/decision/compile.ts'
import { momentsAt, type Moment } from '../core/decision/moment.ts'
import { canonicalText, digestOf } from '../core/policy/canonical.ts'
import { readOverrides, readPolicy } from '../core/policy/read.ts'
import type { Policy } from '../core/policy/types.ts'
import { offsetsFrom } from '../core/time/clock-change.ts'
import { instantText, readInstant } from '../core/time/instant.ts'
import { keep, readKept } from './kept.ts'
import type { DataPlane } from './plane.ts'
import { turns } from './turns.ts'
import { GatewayRefusal, type Change, type Gateway, type Proposal, type Refusal } from './protocol.ts'

/**
 * The gateway's own program over a data plane. It holds the policy itself and keeps the last one in `file` (`null` = only in memory), so that
 * it goes on alone after a restart. Throws where the file holds no policy that the plane can do.
 */
export async function startGateway(plane: DataPlane, file: string | null): Promise<Gateway & { stop(): void }> {
  const watchers = new Set<(change: Change) => void>()
  const changed = (change: Change) => watchers.forEach(watcher => watcher(change))
  let held: { policy: Policy, digest: string, since: string } | null = null

  const hold = async (policy: Policy, digest: string) => {
    await plane.apply(policy)
    held = { policy, digest, since: instantText(Math.floor(plane.now() / 1000)) }
    changed('status')
  }
  // What was checked is mostly enforced next; by its digest it is the same policy, and reading one may take seconds.
  let known: { policy: Policy, digest: string } | null = null
  const read = async (proposal: Proposal): Promise<{ policy: Policy } | { faults: NonNullable<Refusal> }> => {
    if (known && known.digest === proposal.digest) return known
    const result = readPolicy(proposal.document)
    return 'faults' in result ? result : checked(result.policy, proposal.digest)
  }
  const checked = async (policy: Policy, digest: string): Promise<{ policy: Policy } | { faults: NonNullable<Refusal> }> => {
    if (digestOf(policy) !== digest) return { faults: [{ path: 'digest', message: 'is not the digest of this document: send both anew' }] }
    const faults = await plane.check(policy)
    if (faults) return { faults }
    known = { policy, digest }
    return { policy }
  }
  const take = async (result: { policy: Policy } | { faults: NonNullable<Refusal> }, digest: string) => {
    if ('faults' in result) return result.faults
    // Kept before it counts: after a crash in between, the policy that was asked for is the one that is found.
    if (file !== null) await keep(file, canonicalText(result.policy))
    await hold(result.policy, digest)
    return null
  }
  // One after the other: what was asked for last is what counts.
  const inTurn = turns()
  const kept = file === null ? null : await keptPolicy(file)
  if (kept) await hold(kept, digestOf(kept))
  plane.start(changed)

  return {
    status: async () => ({
      plane: plane.kind, clock: instantText(Math.floor(plane.now() / 1000)), timeZone: plane.timeZone, offsets: offsetsFrom(plane.timeZone, plane.now() / 1000),
      apps: plane.apps ?? [],
      digest: held?.digest ?? null, inForceSince: held?.since ?? null,
    }),
    sightings: async () => plane.sightings(),
    evidence: async () => plane.evidence(),
    lookups: async since => plane.lookups(since === null ? -Infinity : instantOf(since)),
    check: async (proposal) => {
      const result = await read(proposal)
      return 'faults' in result ? result.faults : null
    },
    enforce: async proposal => inTurn(async () => take(await read(proposal), proposal.digest)),
    amend: async (overrides, digest) => inTurn(async () => {
      if (!held) return [{ path: '', message: 'stands beside no policy: send the whole document' }]
      const result = readOverrides(overrides, held.policy)
      return 'faults' in result ? result.faults : take(await checked({ ...held.policy, overrides: result.overrides }, digest), digest)
    }),
    watch: (watcher, signal) => new Promise((resolve) => {
      if (signal.aborted) return resolve()
      watchers.add(watcher)
      signal.addEventListener('abort', () => {
        watchers.delete(watcher)
        resolve()
      }, { once: true })
    }),
    setClock: async (instant) => {
      if (!plane.setClock) throw new GatewayRefusal('Only a simulated gateway has a clock that can be set from here.')
      plane.setClock(instant === null ? null : instantOf(instant) * 1000)
      changed('status')
    },
    decision: async (mac, at) => {
      if (!held) return null
      const compiled = compile(held.policy)
      const [{ state, because, since, until }] = momentsAt(compiled, [subjectOfMac(compiled, mac)], instantOf(at)) as [Moment]
      const text = (instant: number | null) => instant === null ? null : instantText(instant)
      return { state, because: because?.kind === 'shielded' ? null : because?.id ?? null, since: text(since), until: text(until) }
    },
    useApp: async (mac, app) => {
      if (!plane.useApp) throw new GatewayRefusal('Only the devices of a simulated network can be made to use an app.')
      const trouble = plane.useApp(mac, app)
      if (trouble !== null) throw new GatewayRefusal(trouble)
    },
    stop: () => plane.stop(),
  }
}

function instantOf(text: string): number {
  const at = readInstant(text)
  if (at === null) throw new GatewayRefusal(`"${text}" is no instant: write it as in 2026-11-27T21:30:00Z.`)
  return at
}

async function keptPolicy(file: string): Promise<Policy | null> {
  const text = await readKept(file)
  if (text === null) return null
  const result = readPolicy(JSON.parse(text))
  if ('faults' in result) throw new Error(`${file} holds no policy: ${result.faults[0]!.path} ${result.faults[0]!.message}`)
  return result.policy
}
