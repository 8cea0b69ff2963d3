import { join } from 'node:path'
import equal from 'fast-deep-equal'
import { additionsChangeAfter } from '../../core/allowance/limits.ts'
import type { KnownUse } from '../../core/allowance/outlook.ts'
import { spentFor } from '../../core/policy/overrides.ts'
import type { Policy, Spent } from '../../core/policy/types.ts'
import type { Subject } from '../../core/decision/subject.ts'
import { DAY } from '../../core/time/duration.ts'
import { instantText } from '../../core/time/instant.ts'
import type { AllowanceNews } from '../../protocol/gateway/allowance.ts'
import { UNTIL_OVER } from '../state/trouble-log.ts'
import { AllowanceMeter } from './allowances.ts'
import { FileFault, writeAtomically } from '../../node/atomic-file.ts'
import type { StateParts } from '../state/state-damage.ts'
import { STATE_FILES } from '../state/state.ts'
import { readKeptAllowances } from './kept-allowances.ts'
import type { Use } from './use-reader.ts'

/** The shortest time between two writes of the counts: a crash gives nobody more than that. */
const WRITE_EVERY_SECONDS = 15
/** The past for which a policy knows used-up allowances: pages show today. */
const POLICY_PAST_SECONDS = 2 * DAY

interface Parts extends StateParts {
  /** Enforces the policy anew, with when allowances are used up. */
  readonly enforce: (spent: readonly Spent[]) => Promise<void>
  /** Has all unknown devices treated as if they had used their allowances up, or no longer. */
  readonly limitStrangers: (areSpent: boolean) => Promise<void>
  /** Hears that something was used, or used up. */
  readonly changed: () => void
}

/** Counts what is used of allowances, keeps it on disk, and sees to it that what is used up is enforced. */
export class AllowanceHolder {
  readonly #meter = new AllowanceMeter()
  #policy: Policy | null = null
  #enforced: readonly Spent[] = []
  #told = ''
  #areStrangersSpent = false
  /** Whether the file could not be read, and that is still said. */
  #isDamaged = false
  #written = { text: '', at: -Infinity }

  constructor(private readonly parts: Parts) {}

  /** Takes up what the state folder holds; before the policy is. */
  async restore(): Promise<void> {
    const { folder, damage, nowSeconds } = this.parts
    if (folder === null) return
    const kept = await readKeptAllowances(folder)
    if (kept.damage) damage.note(kept.damage)
    this.#isDamaged = kept.damage !== null
    this.#meter.restore(kept.value, nowSeconds())
  }

  /** A policy with when its allowances are used up, before it is the one that counts. */
  withSpent(policy: Policy): Policy {
    // At the start what was kept is only understood by a policy.
    if (!this.#meter.hasPolicy) this.#meter.setPolicy(policy, this.parts.nowSeconds())
    const spent = this.#spentUnder(policy, this.parts.nowSeconds())
    return spent.length === 0 && policy.spent.length === 0 ? policy : { ...policy, spent }
  }

  /** Counts by the policy that was put in force. */
  setPolicy(policy: Policy): void {
    this.#policy = policy
    this.#enforced = policy.spent
    this.#meter.setPolicy(policy, this.parts.nowSeconds())
  }

  /** Counts what was used by now. */
  take(uses: readonly Use[], subjectOf: (mac: string) => Subject): void {
    this.#meter.take(uses, this.parts.nowSeconds(), subjectOf)
  }

  /** Enforces what is used up by now, where that changed; and writes down what was used, now and then. */
  async settle(): Promise<void> {
    const at = this.parts.nowSeconds()
    this.#meter.settle(at)
    if (this.#meter.isFull !== this.#areStrangersSpent) {
      await this.parts.limitStrangers(this.#meter.isFull)
      this.#areStrangersSpent = this.#meter.isFull
    }
    // Nothing is unsure any longer: the file is written anew, which ends its alarm.
    if (this.#isDamaged && !this.#meter.isUnsure(at)) this.#written = { text: '', at: -Infinity }
    const spent = this.#policy === null ? [] : this.#spentUnder(this.#policy, at)
    const isNew = !equal(spent, this.#enforced)
    if (isNew) {
      // On disk before it counts: a crash in between opens nobody. A full disk opens nobody either.
      await this.write()
      await this.parts.enforce(spent)
      this.#enforced = spent
    } else if (at >= this.#written.at + WRITE_EVERY_SECONDS || at < this.#written.at) await this.write()
    const told = JSON.stringify([this.#meter.uses(at), spent])
    if (told === this.#told) return
    this.#told = told
    this.parts.changed()
  }

  /** The time at which an allowance next changes by itself (seconds); `null` = never. */
  get changesAt(): number | null {
    return this.#policy && additionsChangeAfter(this.#policy, this.parts.nowSeconds())
  }

  /** Writes down what was used, where that changed; a disk that cannot take it is an alarm. */
  async write(): Promise<void> {
    const { folder, damage, troubles, fault, nowSeconds } = this.parts
    const text = JSON.stringify(this.#meter.state())
    const isSame = text === this.#written.text
    if (folder === null || isSame) {
      this.#written = { text, at: nowSeconds() }
      return
    }
    const file = join(folder, STATE_FILES.allowances)
    try {
      await writeAtomically(file, text)
      this.#written = { text, at: nowSeconds() }
      troubles.over('disk', file)
      // While what was lost still counts, it is said.
      if (this.#isDamaged && !this.#meter.isUnsure(nowSeconds())) {
        damage.over(file)
        this.#isDamaged = false
      }
    } catch (error) {
      if (!(error instanceof FileFault)) throw error
      this.#written = { text: '', at: nowSeconds() }
      troubles.note('disk', file, nowSeconds(), UNTIL_OVER)
      fault(error, 'writing down what was used of allowances')
    }
  }

  /**
   * Returns the used-up allowances of a policy: of devices and rules that are gone they stay known for a
   * while.
   */
  #spentUnder(policy: Policy, at: number): Spent[] {
    return spentFor(policy, this.#meter.spent(at - POLICY_PAST_SECONDS))
  }

  /** Returns the usage by now. */
  known(): KnownUse {
    const at = this.parts.nowSeconds()
    return { at, uses: this.#meter.uses(at) }
  }

  /** Returns the usage by now, and the times since an instant (seconds) at which allowances were used up. */
  news(since: number): AllowanceNews {
    const at = this.parts.nowSeconds()
    return { at: instantText(at), uses: this.#meter.uses(at), spent: this.#meter.spent(since) }
  }
}
