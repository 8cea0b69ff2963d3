import { randomUUID } from 'node:crypto'
import { Mutex } from 'async-mutex'
import { subjectOfMac } from '../../core/decision/compile.ts'
import { networkOf } from '../../core/decision/subject.ts'
import { offsetsFrom } from '../../core/time/clock-change.ts'
import { instantText } from '../../core/time/instant.ts'
import {
  GatewayRefusal,
  type Gateway,
  type GatewayChange,
  type GatewayStatus,
  type Lookup,
  type Proposal,
  type Refusal,
} from '../../protocol/gateway/gateway.ts'
import type { Evidence } from '../../protocol/gateway/evidence.ts'
import { readAnswer } from '../../protocol/request.ts'
import { REAL_NETWORK } from '../../protocol/gateway/simulation.ts'
import type { UsageHour } from '../../protocol/gateway/usage.ts'
import { AllowanceHolder } from '../usage/allowance-holder.ts'
import { AlarmWatch, ASKED_WITHIN } from './alarms.ts'
import { troubleLog } from '../state/trouble-log.ts'
import { secondsOf } from './instant.ts'
import { lockFolder } from '../../node/lock.ts'
import { LOOKUP_FORMAT } from '../state/lookups.ts'
import { pacedLoop } from '../../node/paced-loop.ts'
import { devicePages, type DevicePages } from '../pages/device-pages.ts'
import type { DataPlane } from '../planes/plane.ts'
import { PolicyHolder, type HeldPolicy } from './policy-holder.ts'
import { readerHere, type PolicyReader } from './reader.ts'
import { RequestHolder } from '../pages/requests.ts'
import { RowRecord } from '../state/row-record.ts'
import { SettingsHolder } from './settings-holder.ts'
import { StateDamage, type FaultListener } from '../state/state-damage.ts'
import { STATE_FILES, type Damage } from '../state/state.ts'
import { UsageMeter, USAGE_FORMAT } from '../usage/usage.ts'
import { UseReader } from '../usage/use-reader.ts'

/**
 * After how many looks at the plane what was counted is held against what should be, and how long it rests.
 */
const ALARM_LOOKS = 5
const ALARM_REST = 50
/** The longest rest between two looks: an allowance ends at most 15 s late. */
const MAX_REST_MS = 12_000
/** By how much a timer may ring early, in milliseconds. */
const TIMER_EARLY = 5

/** The options of a gateway. */
export interface GatewayOptions {
  /** The folder for policy, settings and look-ups; `null` = only in memory. */
  readonly folder: string | null
  /** Hears of what goes wrong while nobody asks; without one it ends the process. */
  readonly fault?: FaultListener
  /** Damage of the state folder that was found before. */
  readonly damages?: readonly Damage[]
  /** Reads policies; in this thread where none is given. */
  readonly reader?: PolicyReader
}

/**
 * The gateway's program. Where what is proposed is no proposal, `check` and `enforce` throw MalformedProposal.
 */
export interface GatewayProgram extends Gateway {
  /** Counts what was used until now, and enforces what that uses up. */
  countNow(): Promise<void>
  /** Adds hours of use that were counted elsewhere. */
  addPastUse(hours: readonly UsageHour[]): void
  /** Tells everybody who watches of a change. */
  tell(change: GatewayChange): void
  /** Writes the look-ups down and ends. */
  stop(): Promise<void>
}

/**
 * Starts the gateway's own program over a data plane. It holds the policy itself, so that it goes on alone
 * after a restart. What of its folder is damaged is an alarm; where that is the policy, those who are not
 * known to be open are blocked.
 *
 * @throws LockedFolder where another process has the folder
 * @throws Error where the plane can hold nobody to anything
 */
export async function startGateway(plane: DataPlane, options: GatewayOptions): Promise<GatewayProgram> {
  const { reader = readerHere() } = options
  const unlock = options.folder === null ? async () => {} : await lockFolder(options.folder)
  const release = () => {
    reader.stop()
    return unlock()
  }
  const program = new Program(plane, reader, release, options)
  try {
    await program.restore()
  } catch (error) {
    plane.stop()
    await release()
    throw error
  }
  program.start()
  return program
}

/** The program, put together from its parts. */
class Program implements GatewayProgram {
  readonly #watchers = new Set<(change: GatewayChange) => void>()
  readonly #troubles = troubleLog()
  readonly #alarms = new AlarmWatch()
  readonly #damage: StateDamage
  readonly #fault: FaultListener
  readonly #policy: PolicyHolder
  readonly #settings: SettingsHolder
  readonly #lookups: RowRecord<Lookup>
  readonly #uses = new UseReader()
  readonly #meter = new UsageMeter(randomUUID())
  readonly #usage: RowRecord<UsageHour>
  readonly #allowances: AllowanceHolder
  #allowanceTimer: NodeJS.Timeout | undefined
  #isStopped = false
  readonly #requests: RequestHolder
  readonly #pages: DevicePages
  /** One after the other: what was asked for last is what counts. */
  readonly #writing = new Mutex()
  #stopLooking = () => {}

  constructor(
    private readonly plane: DataPlane,
    reader: PolicyReader,
    private readonly release: () => Promise<void>,
    private readonly options: GatewayOptions,
  ) {
    const { folder, fault = raise } = options
    const nowSeconds = () => this.#now()
    const troubles = this.#troubles
    const damage = new StateDamage(troubles, nowSeconds, fault)
    const state = { folder, troubles, damage, nowSeconds, fault }
    this.#fault = fault
    this.#damage = damage
    this.#allowances = new AllowanceHolder({
      ...state,
      enforce: (spent) => this.#policy.setSpent(spent),
      limitStrangers: (areSpent) => plane.limitStrangers(areSpent),
      changed: () => this.tell('allowances'),
    })
    this.#policy = new PolicyHolder({
      ...state,
      plane,
      reader,
      withSpent: (policy) => this.#allowances.withSpent(policy),
      changed: () => {
        this.#allowances.setPolicy(this.#policy.held!.policy)
        this.#settleKept()
        this.tell('status')
      },
    })
    this.#lookups = new RowRecord({
      ...state,
      name: STATE_FILES.lookups,
      what: 'what was looked up',
      rows: plane.lookups,
      format: LOOKUP_FORMAT,
    })
    this.#usage = new RowRecord({
      ...state,
      name: STATE_FILES.usage,
      what: 'what was used',
      rows: this.#meter,
      format: USAGE_FORMAT,
    })
    this.#requests = new RequestHolder({
      ...state,
      isKnown: (mac) => this.#policy.isKnown(mac),
      changed: () => this.tell('requests'),
    })
    this.#pages = devicePages({
      requests: this.#requests,
      viewerOf: (mac) => {
        const viewer = this.#policy.viewer(mac)
        const request = this.#requests.latest(mac)
        return viewer && { ...viewer, request, known: this.#allowances.known() }
      },
      words: () => this.#settings.settings.page.words,
    })
    this.#settings = new SettingsHolder({
      ...state,
      plane,
      pages: this.#pages,
      settled: () => this.#settleKept(),
      forget: async () => {
        await this.#lookups.write(true)
        await this.#usage.write(true)
      },
    })
  }

  /** Takes up what the state folder holds. */
  async restore(): Promise<void> {
    for (const damage of this.options.damages ?? []) this.#damage.note(damage)
    await this.#allowances.restore()
    await this.#policy.restore()
    await this.#settings.restore()
    await this.#lookups.restore()
    await this.#usage.restore()
    await this.#requests.restore()
    this.#settleKept()
  }

  /** Begins to work. */
  start(): void {
    this.plane.start((change) => this.tell(change))
    this.#lookups.start()
    this.#usage.start()
    this.#stopLooking = pacedLoop(
      { everyMs: ALARM_LOOKS * this.plane.lookEveryMs, restFactor: ALARM_REST, maxRestMs: MAX_REST_MS },
      () => this.#look(),
      (error) => this.#fault(error, 'holding what should be against what was counted'),
    )
  }

  async stop(): Promise<void> {
    this.#isStopped = true
    this.#stopLooking()
    clearTimeout(this.#allowanceTimer)
    await this.#measure()
      .then(() => this.#allowances.write())
      .catch((error: unknown) => this.#fault(error, 'counting what was used'))
    // Nothing is looked up any more while what was is written down.
    this.plane.stop()
    try {
      await Promise.all([this.#lookups.stop(), this.#usage.stop()])
    } finally {
      await this.release()
    }
  }

  async status(): Promise<GatewayStatus> {
    const { plane } = this
    const { held } = this.#policy
    const troubles = [...this.#troubles.all(this.#now()), ...plane.troubles()]
    return {
      plane: plane.kind,
      clock: instantText(this.#now()),
      timeZone: plane.timeZone,
      offsets: offsetsFrom(plane.timeZone, plane.now() / 1000),
      apps: [],
      digest: held?.digest ?? null,
      inForceSince: held?.inForceSince ?? null,
      alarms: [
        ...this.#alarms.alarms(this.#now()),
        ...troubles.map((trouble) => ({ ...trouble, mac: null, because: null })),
      ],
      settings: this.#settings.settings,
      interfaces: plane.interfaces(),
    }
  }

  async sightings() {
    return this.plane.sightings()
  }

  async evidence() {
    return this.plane.evidence()
  }

  async lookups(since: string | null) {
    return this.plane.lookups.since(since === null ? -Infinity : secondsOf(since))
  }

  async usage(run: string | null, number: number) {
    return this.#meter.news(run, number)
  }

  async allowances(since: string | null) {
    return this.#allowances.news(since === null ? -Infinity : secondsOf(since))
  }

  async set(settings: unknown): Promise<Refusal> {
    return this.#writing.runExclusive(async () => {
      const faults = await this.#settings.set(settings)
      if (faults === null) this.tell('status')
      return faults
    })
  }

  async page(mac: string, name: string) {
    if (!this.#policy.held) throw new GatewayRefusal('Nothing is blocked before the first policy.')
    const answer = await this.#pages.answer(mac, { name, path: '/', form: null, twelveHours: false })
    return 'html' in answer ? answer.html : ''
  }

  async requests() {
    return this.#requests.all()
  }

  async answerRequest(id: string, answer: unknown) {
    const read = readAnswer(answer)
    if (!read) throw new GatewayRefusal('An answer is granted with an end, or not granted without one.')
    return this.#requests.answer(id, read)
  }

  async check(proposal: Proposal | Uint8Array) {
    return this.#policy.check(proposal)
  }

  async enforce(proposal: Proposal | Uint8Array) {
    return this.#enforcing(() => this.#policy.enforce(proposal))
  }

  async amend(overrides: unknown, digest: string) {
    return this.#enforcing(() => this.#policy.amend(overrides, digest))
  }

  async decision(mac: string, at: string) {
    return this.#policy.decision(mac, secondsOf(at))
  }

  watch(watcher: (change: GatewayChange) => void, signal: AbortSignal): Promise<void> {
    return new Promise((resolve) => {
      if (signal.aborted) return resolve()
      this.#watchers.add(watcher)
      const end = () => {
        this.#watchers.delete(watcher)
        resolve()
      }
      signal.addEventListener('abort', end, { once: true })
    })
  }

  async simulation(): Promise<never> {
    throw new GatewayRefusal(REAL_NETWORK)
  }

  async countNow(): Promise<void> {
    await this.#measure()
    await this.#writing.runExclusive(() => this.#settleAllowances())
  }

  addPastUse(hours: readonly UsageHour[]): void {
    this.#meter.restore(hours)
  }

  tell(change: GatewayChange): void {
    this.#watchers.forEach((watcher) => watcher(change))
  }

  /** Puts something else in force, and with it what is used up by that. */
  async #enforcing(enforce: () => Promise<Refusal>): Promise<Refusal> {
    return this.#writing.runExclusive(async () => {
      const refusal = await enforce()
      // It is in force by now, whatever becomes of that.
      if (refusal === null)
        await this.#settleAllowances().catch((error: unknown) =>
          this.#fault(error, 'enforcing what is used up'),
        )
      return refusal
    })
  }

  /** Enforces what is used up by now, and again as soon as more may be used, or less. One at a time. */
  async #settleAllowances(): Promise<void> {
    await this.#allowances.settle()
    clearTimeout(this.#allowanceTimer)
    const { changesAt } = this.#allowances
    const waitMs = changesAt === null ? Infinity : changesAt * 1000 - this.plane.now()
    // The next look sees later changes, and a clock that is set in between.
    if (this.#isStopped || waitMs > MAX_REST_MS) return
    this.#allowanceTimer = setTimeout(() => {
      this.#writing
        .runExclusive(() => this.#settleAllowances())
        .catch((error: unknown) => this.#fault(error, 'enforcing what is used up'))
    }, waitMs + TIMER_EARLY).unref()
  }

  /** Holds what should be against what was counted, and tells where that gives another alarm. */
  async #look(): Promise<void> {
    const { held } = this.#policy
    if (!held) return
    const at = this.#now()
    const before = this.#alarms.alarms(at).length
    const evidence = await this.#measure()
    await this.#writing.runExclusive(() => this.#settleAllowances())
    this.#alarms.look(
      evidence,
      held.compiled,
      (mac) => this.#policy.subjectOf(held, mac),
      held.changedAt,
      at,
      this.#macsThatAsked(held, at),
    )
    if (this.#alarms.alarms(at).length !== before) this.tell('status')
  }

  /** Reads what was counted, and adds up what was used since the last time. */
  async #measure(): Promise<Evidence> {
    const evidence = await this.plane.evidence()
    const networks = new Map<string, string | null>()
    const { held } = this.#policy
    if (held)
      for (const sighting of this.plane.sightings())
        networks.set(sighting.mac, networkOf(held.policy.networks, sighting))
    const networkIn = (mac: string) => networks.get(mac) ?? null
    const { kilobytes } = this.#settings.settings.usage
    const uses = this.#uses.read(evidence.devices, this.#now(), kilobytes)
    this.#meter.take(uses, this.#now(), this.plane.timeZone, networkIn)
    if (held) this.#allowances.take(uses, (mac) => subjectOfMac(held.compiled, mac, networkIn(mac)))
    return evidence
  }

  /** Returns the devices that looked a name up lately, and those of which that cannot be known. */
  #macsThatAsked({ policy: { devices } }: HeldPolicy, at: number): ReadonlySet<string> {
    const { kept, exempt } = this.#settings.settings.lookups
    // Without stored look-ups nothing says that a device looks nothing up.
    const macs = kept
      ? this.plane.lookups.since(at - ASKED_WITHIN).map(({ mac }) => mac)
      : devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac))
    return new Set([...macs, ...this.#policy.macsOf(exempt)])
  }

  /** Tells whose look-ups and use are kept: that follows from the settings and from the policy. */
  #settleKept(): void {
    const { lookups, usage } = this.#settings.settings
    this.plane.lookups.set(lookups.kept, lookups.days, new Set(this.#policy.macsOf(lookups.exempt)))
    this.#meter.set(usage, new Set(this.#policy.macsOf(usage.exempt)))
  }

  #now(): number {
    return Math.floor(this.plane.now() / 1000)
  }
}

function raise(error: unknown): never {
  throw error
}
