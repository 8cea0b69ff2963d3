import { compile, subjectOfMac, type Compiled } from '../core/decision/compile.ts'
import { momentsAt, type Moment } from '../core/decision/moment.ts'
import { networkOf } from '../core/decision/subject.ts'
import { canonicalText, digestOf } from '../core/policy/canonical.ts'
import { readOverrides, readPolicy } from '../core/policy/read.ts'
import type { Policy } from '../core/policy/types.ts'
import { offsetsFrom } from '../core/time/clock-change.ts'
import { instantText, readInstant } from '../core/time/instant.ts'
import { join } from 'node:path'
import { keep, prepareKeeping, readKept } from './kept.ts'
import { alarmWatch, ASKED_WITHIN } from './alarms.ts'
import { closedPage } from './page.ts'
import { FIRST_SETTINGS, readSettings, type Settings } from './settings.ts'
import type { DataPlane } from './plane.ts'
import { turns } from './turns.ts'
import { GatewayRefusal, PRETENCES, type Change, type Gateway, type Lookup, type Proposal, type Refusal } from './protocol.ts'

/** How often what was counted is looked at, and how often look-ups are written down, in milliseconds. */
const LOOK = 5000
const WRITE = 60_000

type Read = { readonly policy: Policy } | { readonly faults: NonNullable<Refusal> }

/**
 * The gateway's own program over a data plane. It holds the policy itself and keeps the last one in `folder` (`null` = only in memory), with its settings and what was looked up, so that
 * it goes on alone after a restart; `fault` hears of what goes wrong while nobody asks, else it ends the process. Throws where the folder holds no policy that the plane can do.
 */
export async function startGateway(plane: DataPlane, folder: string | null, fault: (error: unknown, doing: string) => void = raise): Promise<Gateway & { stop(): Promise<void> }> {
  const watchers = new Set<(change: Change) => void>()
  const changed = (change: Change) => watchers.forEach(watcher => watcher(change))
  let settings: Settings = FIRST_SETTINGS
  let held: { compiled: Compiled, policy: Policy, digest: string, since: string } | null = null

  const now = () => Math.floor(plane.now() / 1000)
  const watch = alarmWatch()
  const look = async () => {
    if (!held) return
    const [{ compiled, since }, at] = [held, now()]
    const before = watch.alarms(at).length
    watch.look(await plane.evidence(), compiled, mac => subjectFor(compiled, mac), readInstant(since)!, at, asked(at))
    if (watch.alarms(at).length !== before) changed('status')
  }
  // Where nothing is kept, nothing says that somebody looks nothing up.
  const asked = (at: number) => {
    const macs = settings.lookups.kept ? plane.lookups.since(at - ASKED_WITHIN).map(({ mac }) => mac) : held!.policy.devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac))
    return new Set([...macs, ...exemptMacs()])
  }
  /** Who an address is to the policy that is held, in the network in which it was seen last. */
  const subjectFor = (compiled: Compiled, mac: string) => {
    const seen = compiled.policy.networks.length > 0 && plane.sightings().find(one => one.mac === mac)
    return subjectOfMac(compiled, mac, seen ? networkOf(compiled.policy.networks, seen) : null)
  }
  const fileIn = (name: string) => folder === null ? null : join(folder, name)
  const policyFile = fileIn('policy.json')
  const exemptMacs = () => held?.policy.devices.filter(({ id }) => settings.lookups.exempt.includes(id)).flatMap(({ adapters }) => adapters.map(({ mac }) => mac)) ?? []
  const pageFor = (mac: string, name: string) => {
    if (!held) throw new GatewayRefusal('Nothing is closed before the first policy.')
    return closedPage(held.compiled, subjectFor(held.compiled, mac), name, settings.page.words, now())
  }
  // Whose addresses are exempt follows from the policy, too.
  const settleLookups = () => plane.lookups.set(settings.lookups.kept, settings.lookups.days, new Set(exemptMacs()))
  const settle = async (next: Settings) => {
    settings = next
    settleLookups()
    await plane.set({ closedAddresses: next.closedAddresses, page: next.page.shown ? pageFor : null })
  }
  const holding = (policy: Policy, digest: string) => {
    held = { compiled: compile(policy), policy, digest, since: instantText(now()) }
    settleLookups()
    changed('status')
  }
  // What was checked is mostly enforced next; by its digest it is the same policy, and reading one may take seconds.
  let known: { policy: Policy, digest: string } | null = null
  const read = ({ document, digest }: Proposal): Read => {
    if (known && known.digest === digest) return known
    const result = readPolicy(document)
    return 'faults' in result ? result : withDigest(result.policy, digest)
  }
  const withDigest = (policy: Policy, digest: string): Read => {
    if (digestOf(policy) !== digest) return { faults: [{ path: 'digest', message: 'is not the digest of this document: send both anew' }] }
    known = { policy, digest }
    return known
  }
  const take = async (result: Read, digest: string): Promise<Refusal> => {
    if ('faults' in result) return result.faults
    // On disk before it counts, and found there by a new start from when it does: a full disk refuses it, and a crash in between leaves what nobody was promised yet.
    const keepIt = policyFile === null ? null : await prepareKeeping(policyFile, canonicalText(result.policy))
    const faults = await plane.apply(result.policy)
    if (faults) return faults
    await keepIt?.()
    holding(result.policy, digest)
    return null
  }
  // One after the other: what was asked for last is what counts.
  const inTurn = turns()
  const settingsFile = fileIn('settings.json')
  const lookupsFile = fileIn('lookups.json')
  await settle(settingsFile === null ? FIRST_SETTINGS : await keptSettings(settingsFile))
  const kept = policyFile === null ? null : await keptPolicy(policyFile)
  if (kept) {
    const faults = await plane.apply(kept)
    if (faults) throw new Error(`${policyFile} holds a policy that cannot be put in force: ${faults[0]!.path} ${faults[0]!.message}`)
    holding(kept, digestOf(kept))
  }
  // Takes the place of what a plane that is made up says of its past.
  const written = lookupsFile === null ? null : await readKept(lookupsFile)
  if (written !== null) {
    plane.lookups.restore(JSON.parse(written) as Lookup[])
    settleLookups()
  }
  plane.start(changed)
  const write = async () => {
    if (lookupsFile !== null) await keep(lookupsFile, JSON.stringify(plane.lookups.since(-Infinity)))
  }
  const writing = setInterval(() => void write().catch((error: unknown) => fault(error, 'writing down what was looked up')), WRITE)
  writing.unref()
  let looking = false
  const timer = setInterval(() => {
    if (looking) return
    looking = true
    look().catch((error: unknown) => fault(error, 'holding what should be against what was counted')).finally(() => looking = false)
  }, LOOK)
  timer.unref()

  return {
    status: async () => ({
      plane: plane.kind, clock: instantText(now()), timeZone: plane.timeZone, offsets: offsetsFrom(plane.timeZone, plane.now() / 1000),
      apps: plane.apps ?? [],
      digest: held?.digest ?? null, inForceSince: held?.since ?? null,
      alarms: [...watch.alarms(now()), ...plane.troubles().map(trouble => ({ ...trouble, mac: null, because: null }))],
      settings,
    }),
    sightings: async () => plane.sightings(),
    evidence: async () => plane.evidence(),
    lookups: async since => plane.lookups.since(since === null ? -Infinity : instantOf(since)),
    set: async next => inTurn(async () => {
      const result = readSettings(next)
      if ('faults' in result) return result.faults
      if (settingsFile !== null) await keep(settingsFile, JSON.stringify(result.settings))
      await settle(result.settings)
      await write()
      changed('status')
      return null
    }),
    page: async (mac, name) => pageFor(mac, name),
    check: async (proposal) => {
      const result = read(proposal)
      return 'faults' in result ? result.faults : plane.check(result.policy)
    },
    enforce: async proposal => inTurn(() => take(read(proposal), proposal.digest)),
    amend: async (overrides, digest) => inTurn(async () => {
      if (!held) return [{ path: '', message: 'stands beside no policy: send the whole document' }]
      const result = readOverrides(overrides, held.policy)
      return 'faults' in result ? result.faults : take(withDigest({ ...held.policy, overrides: result.overrides }, digest), digest)
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
      const { compiled } = held
      const [{ state, because, since, until }] = momentsAt(compiled, [subjectFor(compiled, mac)], instantOf(at)) as [Moment]
      const text = (instant: number | null) => instant === null ? null : instantText(instant)
      return { state, because: because?.kind === 'shielded' ? null : because?.id ?? null, since: text(since), until: text(until) }
    },
    useApp: async (mac, app) => {
      if (!plane.useApp) throw new GatewayRefusal('Only the devices of a simulated network can be made to use an app.')
      const trouble = plane.useApp(mac, app)
      if (trouble !== null) throw new GatewayRefusal(trouble)
    },
    send: async (mac, to) => {
      if (!plane.send) throw new GatewayRefusal('Only the devices of a simulated network can be made to send.')
      return plane.send(mac, to)
    },
    pretend: async (trouble) => {
      if (!plane.pretend) throw new GatewayRefusal('Only a simulated network can be made to go wrong.')
      if (!PRETENCES.includes(trouble)) throw new GatewayRefusal(`A network cannot go wrong by “${String(trouble)}”: say ${PRETENCES.join(', ')}.`)
      plane.pretend(trouble)
      changed('status')
    },
    stop: async () => {
      clearInterval(timer)
      clearInterval(writing)
      plane.stop()
      await write()
    },
  }
}

function raise(error: unknown): never {
  throw error
}

function instantOf(text: string): number {
  const at = readInstant(text)
  if (at === null) throw new GatewayRefusal(`"${text}" is no instant: write it as in 2026-11-27T21:30:00Z.`)
  return at
}

async function keptSettings(file: string): Promise<Settings> {
  const text = await readKept(file)
  if (text === null) return FIRST_SETTINGS
  const result = readSettings(JSON.parse(text))
  if ('faults' in result) throw new Error(`${file} holds no settings: ${result.faults[0]!.path} ${result.faults[0]!.message}`)
  return result.settings
}

async function keptPolicy(file: string): Promise<Policy | null> {
  const text = await readKept(file)
  if (text === null) return null
  const result = readPolicy(JSON.parse(text))
  if ('faults' in result) throw new Error(`${file} holds no policy: ${result.faults[0]!.path} ${result.faults[0]!.message}`)
  return result.policy
}
