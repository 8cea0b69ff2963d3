import { DAY } from '../core/time/duration.ts'
import { join } from 'node:path'
import { compiledOf, subjectOfMac, type Compiled } from '../core/decision/compile.ts'
import { momentsAt, type StateAt } from '../core/decision/moment.ts'
import type { PolicyPeriod } from '../core/decision/periods.ts'
import { networkOf, type Subject } from '../core/decision/subject.ts'
import type { Policy, Spent } from '../core/policy/types.ts'
import { instantText } from '../core/time/instant.ts'
import type { Decision, Proposal, Refusal } from '../protocol/gateway.ts'
import { FileFault, prepareFile, writeAtomically } from './atomic-file.ts'
import type { Viewer } from './pages/viewer.ts'
import type { DataPlane } from './plane.ts'
import type { PolicyReader, Read } from './reader.ts'
import type { StateParts } from './state-damage.ts'
import { blocksAllBut, knownOpen, NOBODY_OPEN, readKeptPolicy, STATE_FILES } from './state.ts'

/** How long it is remembered which policies were in force, in seconds, and how many of them at most. */
const REMEMBERED_SECONDS = 2 * DAY
const MOST_PERIODS = 200

/** The policy that a gateway holds its network to, and since when (ISO, in UTC). */
export interface HeldPolicy {
  readonly policy: Policy
  readonly compiled: Compiled
  readonly digest: string
  readonly inForceSince: string
}

/** What a policy holder works with; `changed` hears that another policy is in force. */
export interface PolicyHolderParts extends Pick<StateParts, 'folder' | 'damage' | 'nowSeconds'> {
  readonly plane: DataPlane
  readonly reader: PolicyReader
  /** A policy with when its allowances are used up. */
  readonly withSpent: (policy: Policy) => Policy
  readonly changed: () => void
}

/**
 * Holds the policy: takes another whole or not at all, keeps it on disk, and answers what follows from it.
 */
export class PolicyHolder {
  #held: HeldPolicy | null = null
  /** What the plane was given last: what is held, or what stands in for what could not be read. */
  #applied: Policy | null = null
  /** The policies that were in force lately, up to the one that is. */
  #periods: readonly PolicyPeriod[] = []

  constructor(private readonly parts: PolicyHolderParts) {}

  /** What is in force; `null` before the first policy, and where that of the disk could not be read. */
  get held(): HeldPolicy | null {
    return this.#held
  }

  /** Says what of a proposal cannot be done here, without putting it in force. */
  async check(proposal: Proposal | Uint8Array): Promise<Refusal> {
    const result = await this.parts.reader.proposal(proposal)
    return 'faults' in result ? result.faults : this.parts.plane.check(result.policy)
  }

  /** Puts a proposal in force. One at a time. */
  async enforce(proposal: Proposal | Uint8Array): Promise<Refusal> {
    return this.#take(await this.parts.reader.proposal(proposal))
  }

  /** Puts other overrides in force beside the policy that is. One at a time. */
  async amend(overrides: unknown, digest: string): Promise<Refusal> {
    if (!this.#held) return [{ path: '', message: 'stands beside no policy: send the whole document' }]
    return this.#take(await this.parts.reader.amended(this.#held.digest, overrides, digest))
  }

  /**
   * Enforces when allowances are used up, beside the policy that is in force. One at a time.
   *
   * @throws Error where the plane cannot
   */
  async setSpent(spent: readonly Spent[]): Promise<void> {
    if (!this.#held) return
    const policy = { ...this.#held.policy, spent }
    const faults = await this.#apply(policy)
    if (faults) throw new Error(`What is used up cannot be enforced: ${faults[0]!.message}`)
    this.#held = { ...this.#held, policy, compiled: compiledOf(policy) }
    this.#periods = [...this.#periods.slice(0, -1), { ...this.#periods.at(-1)!, policy }]
  }

  /**
   * Puts the policy of the state folder in force; where that cannot be done, everybody is blocked who is not
   * known to be open.
   *
   * @throws Error where not even that can be enforced
   */
  async restore(): Promise<void> {
    const { folder, plane, reader, damage } = this.parts
    if (folder === null) return
    const kept = await readKeptPolicy(folder, plane.timeZone, reader)
    if (kept.kind === 'none') return
    if (kept.kind === 'lost') {
      damage.note(kept.damage)
      const faults = await this.#apply(kept.instead)
      if (faults) throw new Error(`Nobody can be held to anything: ${faults[0]!.message}`)
      return
    }
    const policy = this.parts.withSpent(kept.policy)
    const faults = await this.#apply(policy)
    if (!faults) return this.#hold(policy, kept.digest, Math.min(kept.since, this.parts.nowSeconds()))
    const file = join(folder, STATE_FILES.policy)
    const why = [faults[0]!.path, faults[0]!.message].filter(Boolean).join(' ')
    const words = `holds a policy that cannot be enforced: ${why}. Everybody is blocked until another is applied`
    damage.note({ file, words })
    const refusal = await this.#apply(blocksAllBut(NOBODY_OPEN, plane.timeZone, 'enforced'))
    if (refusal) throw new Error(`${file} ${words}, and that fails too: ${refusal[0]!.message}`)
  }

  /** Who an address is to the policy that is held, in the network in which it was seen last. */
  subjectOf({ compiled, policy: { networks } }: HeldPolicy, mac: string): Subject {
    const seen = networks.length > 0 && this.parts.plane.sightings().find((one) => one.mac === mac)
    return subjectOfMac(compiled, mac, seen ? networkOf(networks, seen) : null)
  }

  /** The MAC addresses of some devices of the policy, by their ids. */
  macsOf(deviceIds: readonly string[]): string[] {
    const devices = this.#held?.policy.devices ?? []
    return devices
      .filter(({ id }) => deviceIds.includes(id))
      .flatMap(({ adapters }) => adapters.map(({ mac }) => mac))
  }

  /** How somebody stands at an instant (seconds); `null` before the first policy. */
  decision(mac: string, at: number): Decision | null {
    if (!this.#held) return null
    const [moment] = momentsAt(this.#held.compiled, [this.subjectOf(this.#held, mac)], at) as [StateAt]
    const { state, decidedBy, since, until } = moment
    const text = (instant: number | null) => (instant === null ? null : instantText(instant))
    return {
      state,
      because: decidedBy?.kind === 'shielded' ? null : (decidedBy?.id ?? null),
      since: text(since),
      until: text(until),
    }
  }

  /** Who looks at a page now, by a MAC address; `null` before the first policy. */
  viewer(mac: string): Omit<Viewer, 'request' | 'known'> | null {
    if (!this.#held) return null
    const { compiled } = this.#held
    const subject = this.subjectOf(this.#held, mac)
    return { compiled, subject, mac, periods: this.#periods, at: this.parts.nowSeconds() }
  }

  /** Whether a device of the policy has a MAC address. */
  isKnown(mac: string): boolean {
    return this.#held !== null && this.subjectOf(this.#held, mac).device !== null
  }

  /**
   * Puts what was read in force. It is on disk before it counts, and found there by a new start from when it
   * does: a full disk refuses it, and a crash in between leaves what nobody was promised yet.
   */
  async #take(result: Read): Promise<Refusal> {
    if ('faults' in result) return result.faults
    const before = this.#applied
    const policy = this.parts.withSpent(result.policy)
    try {
      const storePolicy = await this.#prepareStoring(result)
      const faults = await this.#apply(policy)
      if (faults) return faults
      await storePolicy()
    } catch (error) {
      if (!(error instanceof FileFault)) throw error
      // It may be in force already, and not found by a new start.
      if (before !== null && this.#applied !== before) await this.#apply(before)
      const message = `cannot be stored by the gateway; the current policy stays active. ${error.message}`
      return [{ path: '', message }]
    }
    this.#hold(policy, result.digest, this.parts.nowSeconds())
    return null
  }

  async #apply(policy: Policy): Promise<Refusal> {
    const faults = await this.parts.plane.apply(policy)
    if (!faults) this.#applied = policy
    return faults
  }

  /**
   * Writes a policy beside the one of the state folder; it takes its place by the function that comes back.
   */
  async #prepareStoring({
    policy,
    digest,
  }: {
    policy: Policy
    digest: string
  }): Promise<() => Promise<void>> {
    const { folder, reader, damage } = this.parts
    if (folder === null) return async () => {}
    const file = join(folder, STATE_FILES.policy)
    await writeAtomically(join(folder, STATE_FILES.open), JSON.stringify(knownOpen(policy)))
    const store = await prepareFile(file, await reader.text(digest))
    return async () => {
      await store()
      damage.over(file)
    }
  }

  #hold(policy: Policy, digest: string, from: number): void {
    const earlier = this.#periods
      .filter((period) => period.from < from && period.until > from - REMEMBERED_SECONDS)
      .map((period) => (period.until > from ? { ...period, until: from } : period))
    this.#periods = [...earlier.slice(-MOST_PERIODS), { from, until: Infinity, policy }]
    this.#held = {
      compiled: compiledOf(policy),
      policy,
      digest,
      inForceSince: instantText(this.parts.nowSeconds()),
    }
    this.parts.changed()
  }
}
