import { DAY } from '../../core/time/duration.ts'
import { utimes } from 'node:fs/promises'
import { join } from 'node:path'
import { compiledOf, subjectOfMac, type Compiled } from '../../core/decision/compile.ts'
import { momentsAt, type StateAt } from '../../core/decision/moment.ts'
import type { PolicyPeriod } from '../../core/decision/periods.ts'
import { networkOf, type Subject } from '../../core/decision/subject.ts'
import type { Policy, Spent } from '../../core/policy/types.ts'
import { instantText, readInstant } from '../../core/time/instant.ts'
import { GatewayFailure, type Decision, type Proposal, type Refusal } from '../../protocol/gateway/gateway.ts'
import { FileFault, prepareFile } from '../../node/atomic-file.ts'
import type { Viewer } from '../pages/viewer.ts'
import type { DataPlane } from '../planes/plane.ts'
import type { PolicyReader, Read } from './reader.ts'
import type { StateParts } from '../state/state-damage.ts'
import { STATE_FILES } from '../state/state.ts'
import { NOBODY_OPEN, blocksAllBut, knownOpen, readKeptPolicy } from './kept-policy.ts'

/** The seconds for which earlier policies are remembered, and the most of them. */
const REMEMBERED_SECONDS = 2 * DAY
const MOST_PERIODS = 200

/**
 * The policy that a gateway holds its network to; since when (ISO, in UTC), overrides and what was spent left
 * aside; and when anything of it changed last (seconds).
 */
export interface HeldPolicy {
  readonly policy: Policy
  readonly compiled: Compiled
  readonly digest: string
  readonly inForceSince: string
  readonly changedAt: number
}

/** The surroundings of a policy holder; `changed` hears that another policy is in force. */
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
  /**
   * The policy that the plane was given last: the one that is held, or the substitute for one that could
   * not be read.
   */
  #applied: Policy | null = null
  /** The policies that were in force lately, up to the one that is. */
  #periods: readonly PolicyPeriod[] = []

  constructor(private readonly parts: PolicyHolderParts) {}

  /** The policy in force; `null` before the first one, and where the one on disk could not be read. */
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
    const { inForceSince } = this.#held
    return this.#take(await this.parts.reader.amended(this.#held.digest, overrides, digest), inForceSince)
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
    if (!faults) {
      const since = Math.min(kept.since, this.parts.nowSeconds())
      return this.#hold(policy, kept.digest, since, instantText(since))
    }
    const file = join(folder, STATE_FILES.policy)
    const why = [faults[0]!.path, faults[0]!.message].filter(Boolean).join(' ')
    const words = `holds a policy that cannot be enforced: ${why}. Everybody is blocked until another is applied`
    damage.note({ file, words })
    const refusal = await this.#apply(blocksAllBut(NOBODY_OPEN, plane.timeZone, 'enforced'))
    if (refusal) throw new Error(`${file} ${words}, and that fails too: ${refusal[0]!.message}`)
  }

  /**
   * Returns the subject of an address by the policy that is held, in the network in which it was seen last.
   */
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

  /** Returns the decision on a device at an instant (seconds); `null` before the first policy. */
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

  /** Returns the viewer of a page now, by a MAC address; `null` before the first policy. */
  viewer(mac: string): Omit<Viewer, 'request' | 'known' | 'clock'> | null {
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
   * does: on a full disk it fails, and a crash in between leaves what nobody was promised yet.
   *
   * @param inForceSince since when the policy without its overrides is in force; missing = from now on
   * @throws GatewayFailure where it cannot be stored or put into the network now; what was in force still is
   */
  async #take(result: Read, inForceSince?: string): Promise<Refusal> {
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
      throw new GatewayFailure(
        `The policy cannot be stored by the gateway; the current one stays active. ${error.message}`,
      )
    }
    const now = this.parts.nowSeconds()
    this.#hold(policy, result.digest, now, inForceSince ?? instantText(now))
    await this.#keepAge(inForceSince)
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
    // Both have their room on the disk before one takes its place.
    const storeOpen = await prepareFile(join(folder, STATE_FILES.open), JSON.stringify(knownOpen(policy)))
    const store = await prepareFile(file, await reader.text(digest))
    return async () => {
      await storeOpen()
      await store()
      damage.over(file)
    }
  }

  /** Keeps with the file since when its policy is in force, where only what stands beside it is new. */
  async #keepAge(inForceSince?: string): Promise<void> {
    const { folder } = this.parts
    if (folder === null || inForceSince === undefined) return
    const since = readInstant(inForceSince)!
    await utimes(join(folder, STATE_FILES.policy), since, since)
  }

  #hold(policy: Policy, digest: string, from: number, inForceSince: string): void {
    const earlier = this.#periods
      .filter((period) => period.from < from && period.until > from - REMEMBERED_SECONDS)
      .map((period) => (period.until > from ? { ...period, until: from } : period))
    this.#periods = [...earlier.slice(-MOST_PERIODS), { from, until: Infinity, policy }]
    this.#held = {
      compiled: compiledOf(policy),
      policy,
      digest,
      inForceSince,
      changedAt: this.parts.nowSeconds(),
    }
    this.parts.changed()
  }
}
