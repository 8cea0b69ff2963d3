import { compile } from '../../core/decision/compile.ts'
import { planOf, type Plan } from '../../core/plan/plan.ts'
import type { Policy } from '../../core/policy/types.ts'
import { DAY, instantText } from '../../core/time/instant.ts'
import { troubleLog } from '../alarms.ts'
import { readKept } from '../kept.ts'
import type { DataPlane, PlaneSetting } from '../plane.ts'
import type { Change, Flow, Refusal } from '../protocol.ts'
import { evidenceOf, flowTables, NO_COUNTS, readTable, together, withLookups, type Counts } from './evidence.ts'
import { tool, ToolFault } from './nft.ts'
import { numbersIn } from './numbers.ts'
import { watchTaken } from './watch.ts'
import { turns } from '../turns.ts'
import { startResolver, type ResolverSetting } from '../names/resolver.ts'
import { namesKnown, namingIn, type Naming } from './names.ts'
import { pageServer } from './page-server.ts'
import { neighbourhood } from './sightings.ts'
import { REMEMBERED, TABLE, tableText, VERSIONS, versionOf, type Setting } from './table.ts'

/** How far a plan reaches, and how much of it may be over before the next is made, in seconds. */
const HORIZON = 14 * DAY
const RENEWED = DAY
/** How far a plan reaches back, in seconds: a clock that is set back a little finds itself in it still. */
const BACK = 3600
/** How old a plan that was made for a check may be when it is put in force, in seconds. */
const AGAIN = 60
/** How often the plane looks about, in milliseconds. */
const TICK = 1000
/** For how long it is told that an upstream was silent, in seconds. */
const SILENT = 60
/** After how many looks flow tables are looked for, and whether our table is what was written. */
const LOOKS = 30
/** How long it is told that the clock was set or the table taken away, in seconds. */
const TOLD = 3600
/** A clock that is off by so many milliseconds from one look to the next was set. */
const JUMP = 2000

/** What a Linux plane is told: the interface of the local network, its time zone, what is done outside the plan, the resolver, where the numbers of addresses are kept (`null` = only in memory). */
export interface LinuxSetting extends Pick<Setting, 'lan' | 'outside'> {
  /** The port of the resolver, which all look-ups of the local network are led to, and where it asks in its turn. */
  readonly resolver: number
  readonly upstreams: ResolverSetting['upstreams']
  /** The port of the page that says what is closed; open while it is shown. */
  readonly pagePort: number
  /** The lease files of the network, for the names of machines; one that is not there yet holds nothing. */
  readonly leases: readonly string[]
  readonly timeZone: string
  readonly numbersFile: string | null
  /** For tests: a file with the seconds by which its clock is ahead of the machine's; `null` = it is the machine's. */
  readonly clockFile: string | null
  /** Told of what could not be done while nobody asked. */
  readonly fault: (error: unknown, doing: string) => void
}

/** The network of a Linux router: nftables holds the devices to a plan in absolute time, so that the kernel goes on by itself. Throws ToolFault where nft cannot be used. */
export async function linuxPlane({ lan, outside, resolver, upstreams, pagePort, leases, timeZone, numbersFile, clockFile, fault }: LinuxSetting): Promise<DataPlane> {
  // The interface may come later: at the start of a machine the policy is loaded before the network is up.
  await tool('nft', ['list', 'tables'])
  const numbers = await numbersIn(numbersFile)
  const there = neighbourhood(lan)
  const names = namesKnown()
  let held: { policy: Policy, plan: Plan } | null = null
  let setting: PlaneSetting = { closedAddresses: false, page: null }
  /** Since when there is something to count, what was counted by tables that are gone, and what they remembered of tries, by who, where to and why. */
  let since: string | null = null
  let before: Counts = NO_COUNTS
  const tries = new Map<string, Flow>()
  const troubles = troubleLog()
  let changed: (change: Change) => void = () => {}
  let timer: NodeJS.Timeout | undefined
  let unwatch = () => {}
  let stopped = false
  const readAhead = async () => clockFile === null ? 0 : Number(await readKept(clockFile) ?? 0)
  let ahead = await readAhead()
  const now = () => Date.now() + ahead * 1000
  const seconds = () => Math.floor(now() / 1000)
  // What goes wrong every second is told once.
  let told = ''
  const tellFault = (error: unknown, doing: string) => {
    if (String(error) !== told) fault(error, doing)
    told = String(error)
  }

  let made: { readonly policy: Policy, readonly closedAddresses: boolean, readonly at: number, readonly plan: Plan, readonly naming: readonly Naming[] } | null = null
  const makeText = async (policy: Policy) => {
    await numbers.give([...new Set([...policy.devices.flatMap(({ adapters }) => adapters.map(({ mac }) => mac)), ...policy.overrides.flatMap(({ who }) => who.macs)])])
    const { closedAddresses, page } = setting
    const at = seconds()
    // What was checked is mostly put in force next, and with long lists a plan takes seconds.
    if (!made || made.policy !== policy || made.closedAddresses !== closedAddresses || at < made.at || at > made.at + AGAIN) {
      const plan = planOf(compile(policy, true), at - BACK, at + HORIZON)
      made = { policy, closedAddresses, at, plan, naming: namingIn(plan, closedAddresses) }
    }
    const { plan, naming } = made
    return { plan, naming, text: tableText(plan, { lan, numbers: numbers.all, outside, resolver, page: page && pagePort, closedAddresses, now: at, ahead, found: names.of(naming, seconds()) }) }
  }
  // The table and what goes into it afterwards, one after the other: an address that is found while another table is written would be missing in that.
  const inTurn = turns()
  let loading = false
  /** Puts a policy in the place of the one before; what was counted is kept. Throws ToolFault where nft does not take it. */
  const hold = async (policy: Policy) => {
    loading = true
    try {
      const [{ plan, naming, text }, counted] = await Promise.all([makeText(policy), readCounts()])
      await tool('nft', ['-f', '-'], text)
      whole = null
      if (counted) before = counted
      names.hold(policy, naming)
      held = { policy, plan }
      since ??= instantText(seconds())
    } finally {
      loading = false
    }
  }
  /** What was counted by now; `null` where no table of ours is there. */
  const readCounts = async (): Promise<Counts | null> => {
    if (!held) return null
    const listing = await tool('nft', ['-j', 'list', 'table', ...TABLE.split(' ')]).catch(gone)
    if (listing === null) return null
    const { counts, flows } = readTable(listing, held.plan, numbers.all, now() / 1000)
    for (const flow of flows) tries.set(`${flow.mac} ${flow.to} ${flow.because}`, flow)
    const old = instantText(seconds() - REMEMBERED)
    for (const [key, { at }] of tries) if (at < old) tries.delete(key)
    return together(before, counts)
  }
  /** The same policy once more. */
  const again = () => inTurn(async () => {
    if (held) await hold(held.policy)
  })
  /** The table as it was after our own writing, without what is counted and remembered in it; `null` until the kernel told of that writing. */
  let whole: string | null = null
  /** Puts the table back where somebody else took something out of it. */
  const putBack = async () => {
    if (!held || stopped) return
    const listing = await tool('nft', ['-s', '-t', 'list', 'table', ...TABLE.split(' ')]).catch(gone)
    if (listing !== null && (whole === null || listing === whole)) whole = listing
    else {
      troubles.note('put-back', TABLE, seconds(), TOLD)
      await hold(held.policy)
    }
  }

  let looks = 0
  // How far the wall's clock is from one that only goes on.
  const apart = () => now() - performance.now()
  let looked = apart()
  const look = async () => {
    ahead = await readAhead()
    const jump = apart() - looked
    const jumped = Math.abs(jump) > JUMP
    looked += jump
    if (held && (jumped || seconds() > held.plan.from + BACK + RENEWED)) await again()
    if (jumped) troubles.note('clock-set', String(Math.round(jump / 1000)), seconds(), TOLD)
    if (jumped) changed('status')
    if (looks++ % LOOKS === 0) {
      await findOffloading()
      // What is put into a table destroys nothing, so that nobody tells of it.
      await inTurn(putBack)
    }
    await readNeighbours()
    if (leases.length > 0 && there.lease((await Promise.all(leases.map(readKept))).flatMap(text => text ?? []))) changed('sightings')
    changed('evidence')
  }
  // What stands in a flow table is forwarded before any rule of the forward chain is asked.
  const findOffloading = async () => {
    for (const name of flowTables(await tool('nft', ['-j', 'list', 'flowtables']))) troubles.note('passed-by', name, seconds(), 45)
  }
  const readNeighbours = async () => {
    if (there.read(await tool('ip', ['-j', 'neigh', 'show', 'dev', lan]), seconds())) changed('sightings')
  }
  let reading: Promise<void> | null = null
  const silent = new Set<string>()
  const lookups = await startResolver({
    port: resolver, upstreams,
    rule: (name, from) => {
      const mac = there.macOf(from)
      const rule = (mac: string | null) => names.rule(name, mac, seconds(), setting.page !== null, setting.closedAddresses)
      if (mac !== null) return rule(mac)
      // Somebody who has just come is in the neighbour table before the packet is here.
      reading ??= readNeighbours().finally(() => reading = null)
      return reading.then(() => rule(there.macOf(from)))
    },
    resolved: (name, _from, addresses) => {
      const take = async () => {
        const fresh = names.found(name, addresses, seconds())
        if (fresh.length > 0) await tool('nft', ['-f', '-'], fresh.map(addLines).join(''))
      }
      // Most names matter to no clause, so that nothing has to wait for its turn.
      return loading || names.matters(name) ? inTurn(take) : take()
    },
    upstream: (host, answers) => {
      if (answers) troubles.over('upstream', host)
      else troubles.note('upstream', host, seconds(), SILENT)
      // Each look-up that finds it silent says so; it is news once.
      if (silent.has(host) === answers) changed('status')
      if (answers) silent.delete(host)
      else silent.add(host)
    },
    fault: error => tellFault(error, 'answering look-ups'),
  })
  const page = pageServer(pagePort, (from, name) => {
    const mac = there.macOf(from)
    return mac === null || !setting.page ? null : setting.page(mac, name)
  }, error => tellFault(error, 'showing what is closed'))
  return {
    kind: 'linux',
    timeZone,
    now,
    troubles: () => troubles.all(seconds()),
    sightings: () => there.all(),
    evidence: () => inTurn(async () => evidenceOf(withLookups(await readCounts() ?? before, names.closed, names.logged), [...tries.values(), ...names.flows()], since)),
    lookups: names.log,
    set: async (next) => {
      const other = next.closedAddresses !== setting.closedAddresses || (next.page === null) !== (setting.page === null)
      setting = next
      await page.show(next.page !== null)
      if (other) await again()
    },
    check: async policy => beyond(policy) ?? tool('nft', ['-c', '-f', '-'], (await makeText(policy)).text).then(() => null, refused),
    apply: async policy => beyond(policy) ?? inTurn(() => hold(policy).then(() => null, refused)),
    start: (tell) => {
      changed = tell
      // In turn, so that our own replacement, which is heard too, is over; made anew, with what was found for names since.
      unwatch = watchTaken(() => inTurn(putBack).catch((error: unknown) => tellFault(error, 'putting back the table that somebody flushed')), error => tellFault(error, 'watching the table'))
      const next = () => {
        timer = setTimeout(() => void look().then(() => told = '', (error: unknown) => tellFault(error, 'looking at the network')).finally(() => stopped || next()), TICK)
      }
      next()
    },
    stop: () => {
      stopped = true
      clearTimeout(timer)
      unwatch()
      lookups.stop()
      void page.show(false)
    },
  }
}

/** What of a policy this plane cannot do: it does not tell networks apart yet. */
function beyond({ rules, overrides }: Policy): Refusal {
  const uses = ({ who }: Policy['rules'][number] | Policy['overrides'][number]) => who.networks.length + who.except.networks.length > 0
  const fault = (part: string) => (entry: Parameters<typeof uses>[0], index: number) => uses(entry)
    ? [{ path: `${part}[${index}].who`, message: 'names networks, which a Linux gateway does not tell apart yet: name devices or groups instead' }]
    : []
  const faults = [...rules.flatMap(fault('rules')), ...overrides.flatMap(fault('overrides'))]
  return faults.length > 0 ? faults : null
}

/** What nft does not take is refused; nothing changed then. */
function refused(error: unknown): Refusal {
  if (error instanceof ToolFault) return [{ path: '', message: `cannot be put into the packet filter: ${error.message}` }]
  throw error
}

/** Somebody may have taken our table away. */
function gone(error: unknown): null {
  if (error instanceof ToolFault) return null
  throw error
}

/** Addresses into a set of our table, each beside those of its version of IP. */
function addLines({ set: name, addresses }: { readonly set: string, readonly addresses: readonly string[] }): string {
  return VERSIONS.map(({ set, version }) => {
    const some = addresses.filter(address => versionOf(address) === version)
    return some.length === 0 ? '' : `add element ${TABLE} ${name}${set} { ${some.join(', ')} }\n`
  }).join('')
}
