import { compile, subjectOfMac, type Compiled } from '../core/decision/compile.ts'
import type { PolicyPeriod } from '../core/decision/periods.ts'
import { momentsAt, type StateAt } from '../core/decision/moment.ts'
import { networkOf } from '../core/decision/subject.ts'
import type { Policy } from '../core/policy/types.ts'
import { offsetsFrom } from '../core/time/clock-change.ts'
import { instantText, readInstant } from '../core/time/instant.ts'
import { join } from 'node:path'
import { FileFault, prepareFile, writeAtomically } from './atomic-file.ts'
import { alarmWatch, ASKED_WITHIN, troubleLog } from './alarms.ts'
import { lockFolder } from './lock.ts'
import { lookupStore, setAside } from './lookup-store.ts'
import {
  blocksAllBut,
  knownOpen,
  NOBODY_OPEN,
  readKeptPolicy,
  readKeptSettings,
  STATE_FILES,
  type Damage,
} from './state.ts'
import { closedPage } from './page.ts'
import { FIRST_SETTINGS, readSettings, type Settings } from '../protocol/settings.ts'
import type { DataPlane } from './plane.ts'
import { readerHere, type PolicyReader, type Read } from './reader.ts'
import { serialQueue } from './serial-queue.ts'
import {
  GatewayRefusal,
  PRETENCES,
  type GatewayChange,
  type Gateway,
  type Proposal,
  type Refusal,
} from '../protocol/gateway.ts'

/** How often what was counted is looked at, and how often look-ups are written down, in milliseconds. */
const LOOK = 5000
const WRITE = 60_000
/** How long it is remembered what was in force, in seconds, and how many policies at most. */
const REMEMBERED = 2 * 86_400
const MOST_ERAS = 200
/** How many times as long as a look it rests after it at least. */
const RESTS = 50
/** How long a trouble is told that lasts until it is over, in seconds. */
const UNTIL_OVER = 366 * 86_400

/**
 * The gateway's program: what it is told may be the JSON of a proposal, as it came (bytes). It throws
 * MalformedProposal where that is none.
 */
export interface GatewayProgram extends Gateway {
  check(proposal: Proposal | Uint8Array): Promise<Refusal>
  enforce(proposal: Proposal | Uint8Array): Promise<Refusal>
  stop(): Promise<void>
}

/**
 * The gateway's own program over a data plane. It holds the policy itself and keeps the last one in `folder`
 * (`null` = only in memory), with its settings and what was looked up, so that
 * it goes on alone after a restart. What of the folder is damaged is an alarm; where that is the policy,
 * those who are not known to be open are blocked; `damages` are such that were found before. `fault` hears of
 * what goes wrong
 * while nobody asks, else it ends the process. Throws LockedFolder where another process has the folder, and
 * where the plane can hold nobody to anything.
 */
export async function startGateway(
  plane: DataPlane,
  folder: string | null,
  fault: (error: unknown, doing: string) => void = raise,
  damages: readonly Damage[] = [],
  reader: PolicyReader = readerHere(),
): Promise<GatewayProgram> {
  const unlock = folder === null ? async () => {} : await lockFolder(folder)
  const watchers = new Set<(change: GatewayChange) => void>()
  const changed = (change: GatewayChange) => watchers.forEach((watcher) => watcher(change))
  let settings: Settings = FIRST_SETTINGS
  let held: { compiled: Compiled; policy: Policy; digest: string; since: string } | null = null
  const troubles = troubleLog()

  const now = () => Math.floor(plane.now() / 1000)
  const watch = alarmWatch()
  const look = async () => {
    if (!held) return
    const [{ compiled, since }, at] = [held, now()]
    const before = watch.alarms(at).length
    watch.look(
      await plane.evidence(),
      compiled,
      (mac) => subjectFor(compiled, mac),
      readInstant(since)!,
      at,
      asked(at),
    )
    if (watch.alarms(at).length !== before) changed('status')
  }
  // Where nothing is kept, nothing says that somebody looks nothing up.
  const asked = (at: number) => {
    const macs = settings.lookups.kept
      ? plane.lookups.since(at - ASKED_WITHIN).map(({ mac }) => mac)
      : held!.policy.devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac))
    return new Set([...macs, ...exemptMacs()])
  }
  /** Who an address is to the policy that is held, in the network in which it was seen last. */
  const subjectFor = (compiled: Compiled, mac: string) => {
    const seen = compiled.policy.networks.length > 0 && plane.sightings().find((one) => one.mac === mac)
    return subjectOfMac(compiled, mac, seen ? networkOf(compiled.policy.networks, seen) : null)
  }
  const fileIn = (name: keyof typeof STATE_FILES) =>
    folder === null ? null : join(folder, STATE_FILES[name])
  const exemptMacs = () =>
    held?.policy.devices
      .filter(({ id }) => settings.lookups.exempt.includes(id))
      .flatMap(({ adapters }) => adapters.map(({ mac }) => mac)) ?? []
  const pageFor = (mac: string, name: string) => {
    if (!held) throw new GatewayRefusal('Nothing is blocked before the first policy.')
    return closedPage(
      held.compiled,
      subjectFor(held.compiled, mac),
      mac,
      periods,
      name,
      settings.page.words,
      now(),
    )
  }
  // Whose addresses are exempt follows from the policy, too.
  const settleLookups = () =>
    plane.lookups.set(settings.lookups.kept, settings.lookups.days, new Set(exemptMacs()))
  const planeSetting = (next: Settings) => ({
    closedAddresses: next.closedAddresses,
    page: next.page.shown ? pageFor : null,
    localNames: next.localNames,
  })
  const settle = async (next: Settings) => {
    await plane.set(planeSetting(next))
    settings = next
    settleLookups()
  }
  /** What was in force lately, up to what is: the page of a blocked name draws the day as it was. */
  let periods: PolicyPeriod[] = []
  const holding = (policy: Policy, digest: string, from = now()) => {
    const earlier = periods
      .filter((period) => period.from < from && period.until > from - REMEMBERED)
      .map((period) => (period.until > from ? { ...period, until: from } : period))
    periods = [...earlier.slice(-MOST_ERAS), { from, until: Infinity, policy }]
    held = { compiled: compile(policy), policy, digest, since: instantText(now()) }
    settleLookups()
    changed('status')
  }
  const take = async (result: Read): Promise<Refusal> => {
    if ('faults' in result) return result.faults
    const { policy, digest } = result
    // On disk before it counts, and found there by a new start from when it does: a full disk refuses it, and
    // a crash in between leaves what nobody was promised yet.
    const [openFile, policyFile] = [fileIn('open'), fileIn('policy')]
    let store: (() => Promise<void>) | null = null
    try {
      if (openFile !== null) await writeAtomically(openFile, JSON.stringify(knownOpen(policy)))
      if (policyFile !== null) store = await prepareFile(policyFile, await reader.text(digest))
    } catch (error) {
      if (error instanceof FileFault)
        return [
          {
            path: '',
            message: `cannot be stored by the gateway; the current policy stays active. ${error.message}`,
          },
        ]
      throw error
    }
    const faults = await plane.apply(policy)
    if (faults) return faults
    await store?.()
    if (policyFile !== null) lost(policyFile, null)
    holding(policy, digest)
    return null
  }
  /** Notes that a file of the state folder could not be read, or with `null` that it is well again. */
  const lost = (file: string, damage: Damage | null) => {
    for (const { kind, about } of troubles.all(now()))
      if (kind === 'state' && about.startsWith(`${file} `)) troubles.over(kind, about)
    if (damage === null) return
    troubles.note('state', `${file} ${damage.words}`, now(), UNTIL_OVER)
    tellDamage(damage)
  }
  const tellDamage = ({ file, words }: Damage) => {
    try {
      fault(new Error(`${file} ${words}.`), 'reading the state of the gateway')
    } catch {
      // It is an alarm already; without a listener nothing more can be said.
    }
  }
  // One after the other: what was asked for last is what counts.
  const inTurn = serialQueue()
  /** Writing what was looked up has its own turn: a slow disk holds up nobody. */
  const writeInTurn = serialQueue()
  const lookupsFile = fileIn('lookups')
  const store = lookupsFile === null ? null : lookupStore(lookupsFile, plane.lookups)
  const write = (anew = false) =>
    writeInTurn(async () => {
      await store?.write(anew)
      if (lookupsFile !== null) troubles.over('disk', lookupsFile)
    })
  try {
    for (const damage of damages) lost(damage.file, damage)
    if (folder !== null) {
      const kept = await readKeptPolicy(folder, plane.timeZone, reader)
      if (kept.kind === 'lost') lost(kept.damage.file, kept.damage)
      if (kept.kind !== 'none') {
        const policy = kept.kind === 'policy' ? kept.policy : kept.instead
        const faults = await plane.apply(policy)
        if (faults && kept.kind === 'policy') {
          const damage = {
            file: fileIn('policy')!,
            words: `holds a policy that cannot be enforced: ${[faults[0]!.path, faults[0]!.message].filter(Boolean).join(' ')}. Everybody is blocked until another is applied`,
          }
          lost(damage.file, damage)
          const none = await plane.apply(blocksAllBut(NOBODY_OPEN, plane.timeZone, 'enforced'))
          if (none) throw new Error(`${damage.file} ${damage.words}, and that fails too: ${none[0]!.message}`)
        } else if (faults) throw new Error(`Nobody can be held to anything: ${faults[0]!.message}`)
        else if (kept.kind === 'policy') holding(policy, kept.digest, Math.min(kept.since, now()))
      }
      const { value, damage } = await readKeptSettings(folder)
      if (damage) lost(damage.file, damage)
      settings = value
      await settle(value).catch(async (error: unknown) => {
        // Nothing that was chosen stands in the way of what is enforced.
        troubles.note('page', error instanceof Error ? error.message : String(error), now(), UNTIL_OVER)
        fault(error, 'showing the page that says what is blocked')
        await plane.set({ ...planeSetting(value), page: null })
        settleLookups()
      })
      const bad = await store!.restore().catch(async (error: unknown) => {
        lost(lookupsFile!, {
          file: lookupsFile!,
          words: `${error instanceof Error ? error.message : String(error)} What was looked up is begun anew`,
        })
        await setAside(lookupsFile!).catch(() => {})
        return 0
      })
      if (bad > 0)
        lost(lookupsFile!, {
          file: lookupsFile!,
          words: `has ${bad} damaged ${bad === 1 ? 'line' : 'lines'}, which ${bad === 1 ? 'was' : 'were'} left out`,
        })
      settleLookups()
    }
  } catch (error) {
    plane.stop()
    reader.stop()
    await unlock()
    throw error
  }
  plane.start(changed)
  const writing = setInterval(
    () =>
      void write().catch((error: unknown) => {
        troubles.note('disk', lookupsFile!, now(), UNTIL_OVER)
        fault(error, 'writing down what was looked up')
      }),
    WRITE,
  )
  writing.unref()
  let looking = false
  let rests = 0
  const timer = setInterval(() => {
    if (looking || performance.now() < rests) return
    looking = true
    const begun = process.cpuUsage()
    look()
      .catch((error: unknown) => fault(error, 'holding what should be against what was counted'))
      .finally(() => {
        looking = false
        // Where many are there, it is looked less often.
        const { user, system } = process.cpuUsage(begun)
        rests = performance.now() + ((user + system) / 1000) * RESTS
      })
  }, LOOK)
  timer.unref()

  return {
    status: async () => ({
      plane: plane.kind,
      clock: instantText(now()),
      timeZone: plane.timeZone,
      offsets: offsetsFrom(plane.timeZone, plane.now() / 1000),
      apps: plane.apps ?? [],
      digest: held?.digest ?? null,
      inForceSince: held?.since ?? null,
      alarms: [
        ...watch.alarms(now()),
        ...[...troubles.all(now()), ...plane.troubles()].map((trouble) => ({
          ...trouble,
          mac: null,
          because: null,
        })),
      ],
      settings,
    }),
    sightings: async () => plane.sightings(),
    evidence: async () => plane.evidence(),
    lookups: async (since) => plane.lookups.since(since === null ? -Infinity : instantOf(since)),
    set: async (next) =>
      inTurn(async () => {
        const result = readSettings(next)
        if ('faults' in result) return result.faults
        const settingsFile = fileIn('settings')
        const before = settings
        try {
          await settle(result.settings)
        } catch (error) {
          return [
            {
              path: 'page.shown',
              message: `cannot be done: ${error instanceof Error ? error.message : String(error)}`,
            },
          ]
        }
        try {
          if (settingsFile !== null) await writeAtomically(settingsFile, JSON.stringify(result.settings))
          // What is no longer kept goes from the disk too.
          await write(true)
        } catch (error) {
          if (!(error instanceof FileFault)) throw error
          await settle(before)
          return [
            { path: '', message: `cannot be stored by the gateway, and nothing changed. ${error.message}` },
          ]
        }
        if (settingsFile !== null) lost(settingsFile, null)
        for (const { kind, about } of troubles.all(now())) if (kind === 'page') troubles.over(kind, about)
        changed('status')
        return null
      }),
    page: async (mac, name) => pageFor(mac, name),
    check: async (proposal) => {
      const result = await reader.proposal(proposal)
      return 'faults' in result ? result.faults : plane.check(result.policy)
    },
    enforce: async (proposal) => inTurn(async () => take(await reader.proposal(proposal))),
    amend: async (overrides, digest) =>
      inTurn(async () => {
        if (!held) return [{ path: '', message: 'stands beside no policy: send the whole document' }]
        return take(await reader.amended(held.digest, overrides, digest))
      }),
    watch: (watcher, signal) =>
      new Promise((resolve) => {
        if (signal.aborted) return resolve()
        watchers.add(watcher)
        signal.addEventListener(
          'abort',
          () => {
            watchers.delete(watcher)
            resolve()
          },
          { once: true },
        )
      }),
    setClock: async (instant) => {
      if (!plane.setClock)
        throw new GatewayRefusal('Only a simulated gateway has a clock that can be set from here.')
      plane.setClock(instant === null ? null : instantOf(instant) * 1000)
      changed('status')
    },
    decision: async (mac, at) => {
      if (!held) return null
      const { compiled } = held
      const [{ state, because, since, until }] = momentsAt(
        compiled,
        [subjectFor(compiled, mac)],
        instantOf(at),
      ) as [StateAt]
      const text = (instant: number | null) => (instant === null ? null : instantText(instant))
      return {
        state,
        because: because?.kind === 'shielded' ? null : (because?.id ?? null),
        since: text(since),
        until: text(until),
      }
    },
    useApp: async (mac, app) => {
      if (!plane.useApp)
        throw new GatewayRefusal('Only the devices of a simulated network can be made to use an app.')
      const trouble = plane.useApp(mac, app)
      if (trouble !== null) throw new GatewayRefusal(trouble)
    },
    send: async (mac, to) => {
      if (!plane.send)
        throw new GatewayRefusal('Only the devices of a simulated network can be made to send.')
      return plane.send(mac, to)
    },
    pretend: async (trouble) => {
      if (!plane.pretend) throw new GatewayRefusal('Only a simulated network can be made to go wrong.')
      if (!PRETENCES.includes(trouble))
        throw new GatewayRefusal(
          `A network cannot go wrong by “${String(trouble)}”: use one of ${PRETENCES.join(', ')}.`,
        )
      plane.pretend(trouble)
      changed('status')
    },
    stop: async () => {
      clearInterval(timer)
      clearInterval(writing)
      plane.stop()
      reader.stop()
      await write().finally(unlock)
    },
  }
}

function raise(error: unknown): never {
  throw error
}

function instantOf(text: string): number {
  const at = readInstant(text)
  if (at === null)
    throw new GatewayRefusal(`"${text}" is not an instant: write it like 2026-11-27T21:30:00Z.`)
  return at
}
