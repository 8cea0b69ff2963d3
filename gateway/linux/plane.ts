import { compile } from '../../core/decision/compile.ts'
import { planOf, type Plan } from '../../core/plan/plan.ts'
import type { Policy } from '../../core/policy/types.ts'
import { DAY, instantText } from '../../core/time/instant.ts'
import { troubleLog } from '../alarms.ts'
import { readIfThere } from '../atomic-file.ts'
import type { DataPlane, PlaneSetting } from '../plane.ts'
import type { GatewayChange, Flow, Refusal } from '../../protocol/gateway.ts'
import {
  evidenceOf,
  flowTables,
  NO_COUNTS,
  readTable,
  together,
  withLookups,
  type Counts,
} from './evidence.ts'
import { listedNames } from './listed-names.ts'
import { localAddresses } from './local.ts'
import { tool, ToolFault } from './nft.ts'
import type { Numbers } from './numbers.ts'
import { watchTaken } from './watch.ts'
import { serialQueue } from '../serial-queue.ts'
import { startResolver, type Asker, type ResolverSetting } from '../names/resolver.ts'
import { namesKnown, namingIn, NothingHeld, type Naming, type Who } from './names.ts'
import { pageServer } from './page-server.ts'
import { neighbourhood } from './sightings.ts'
import {
  hostLines,
  REMEMBERED,
  TABLE,
  tableText,
  VERSIONS,
  versionOf,
  type Host,
  type Setting,
} from './table.ts'

/** How far a plan reaches, and how much of it may be over before the next is made, in seconds. */
const HORIZON = 14 * DAY
const RENEWED = DAY
/** How far a plan reaches back, in seconds: a clock that is set back a little finds itself in it still. */
const BACK = 3600
/** How old a plan that was made for a check may be when it is put in force, in seconds. */
const AGAIN = 60
/**
 * How often the plane looks about at most, in milliseconds; and how many times as long as a look it rests
 * after it, so that it costs little where many are there.
 */
const TICK = 1000
const RESTS = 30
/** After how many looks flow tables are looked for, and whether our table is what was written. */
const LOOKS = 30
/**
 * How long it is told that the clock was set or the table taken away, and how long what lasts until it is
 * over, in seconds.
 */
const TOLD = 3600
const UNTIL_OVER = 366 * DAY
/** A clock that is off by so many milliseconds from one look to the next was set. */
const JUMP = 2000
/** How long addresses that were found are gathered before they are put into the table, in milliseconds. */
const GATHERED = 40

/**
 * What a Linux plane is told: the interface of the local network, its time zone, what is done outside the
 * plan, where names are looked up, the numbers of addresses.
 */
export interface LinuxSetting extends Pick<Setting, 'lan' | 'outside'> {
  readonly upstreams: ResolverSetting['upstreams']
  /** The port on which look-ups of unknown devices are answered, where it is free. */
  readonly newcomersPort: number
  /** The port of the page that says what is blocked; open while it is shown. */
  readonly pagePort: number
  /** The lease files of the network, for the names of devices; one that is not there yet holds nothing. */
  readonly leases: readonly string[]
  readonly timeZone: string
  readonly numbers: Numbers
  /**
   * For tests: a file with the seconds by which its clock is ahead of the machine's; `null` = it is the
   * machine's.
   */
  readonly clockFile: string | null
  /** Told of what could not be done while nobody asked. */
  readonly fault: (error: unknown, doing: string) => void
}

/** A plan with the clauses of it that go by the addresses of names. */
interface Made {
  readonly policy: Policy
  readonly closedAddresses: boolean
  readonly at: number
  readonly plan: Plan
  readonly naming: readonly Naming[]
}

/**
 * The network of a Linux router: nftables holds the devices to a plan in absolute time, so that the kernel
 * goes on by itself. Throws ToolFault where nft cannot be used.
 */
export async function linuxPlane({
  lan,
  outside,
  upstreams,
  newcomersPort: wishedPort,
  pagePort,
  leases,
  timeZone,
  numbers,
  clockFile,
  fault,
}: LinuxSetting): Promise<DataPlane> {
  // The interface may come later: at the start of a machine the policy is loaded before the network is up.
  await tool('nft', ['list', 'tables'])
  const there = neighbourhood(lan)
  const local = localAddresses(lan)
  const names = namesKnown()
  /** What is in force: the policy, its plan, the table as it was written, and who had which address then. */
  let held: {
    readonly policy: Policy
    readonly plan: Plan
    readonly macs: ReadonlySet<string>
    readonly text: string
    hosts: readonly Host[]
  } | null = null
  let setting: PlaneSetting = { closedAddresses: false, page: null, localNames: [] }
  /**
   * Since when there is something to count, what was counted by tables that are gone, and what they
   * remembered of tries, by who, where to and why.
   */
  let since: string | null = null
  let before: Counts = NO_COUNTS
  const tries = new Map<string, Flow>()
  const troubles = troubleLog()
  let changed: (change: GatewayChange) => void = () => {}
  let timer: NodeJS.Timeout | undefined
  let unwatch = () => {}
  let stopped = false
  const readAhead = async () => (clockFile === null ? 0 : Number((await readIfThere(clockFile)) ?? 0))
  let ahead = await readAhead()
  const now = () => Date.now() + ahead * 1000
  const seconds = () => Math.floor(now() / 1000)
  // What goes wrong every second is told once.
  let told = ''
  const tellFault = (error: unknown, doing: string) => {
    if (String(error) !== told) fault(error, doing)
    told = String(error)
  }

  let made: Made | null = null
  /**
   * The plan of a policy; what was checked is mostly put in force next, and with long lists a plan takes
   * seconds.
   */
  const planFor = (policy: Policy): Made => {
    const { closedAddresses } = setting
    const at = seconds()
    if (
      !made ||
      made.policy !== policy ||
      made.closedAddresses !== closedAddresses ||
      at < made.at ||
      at > made.at + AGAIN
    ) {
      const plan = planOf(compile(policy, true), at - BACK, at + HORIZON)
      made = { policy, closedAddresses, at, plan, naming: namingIn(plan, closedAddresses) }
    }
    return made
  }
  const textOf = (
    { plan, naming, at }: Made,
    numbers: ReadonlyMap<string, number>,
    ports: ReadonlyMap<string, number>,
    newcomersPort: number,
    hosts: readonly Host[],
  ) =>
    tableText(plan, {
      lan,
      numbers,
      outside,
      ports,
      newcomersPort,
      page: setting.page && pagePort,
      closedAddresses: setting.closedAddresses,
      now: at,
      ahead,
      found: names.of(naming, seconds()),
      hosts,
    })
  // The table and what goes into it afterwards, one after the other: an address that is found while another
  // table is written would be missing in that.
  const inTurn = serialQueue()
  /**
   * Puts a policy in the place of the one before; what was counted is kept. Throws ToolFault where nft does
   * not take it.
   */
  const hold = async (policy: Policy) => {
    const made = planFor(policy)
    const macs = made.plan.adapters.map(({ mac }) => mac)
    await numbers.assign(macs)
    // Nothing that somebody chose, and no other program, stands in the way of what is enforced.
    const openAt = (asker: Asker, port: number) =>
      resolver.open(asker, port).catch(() => resolver.open(asker))
    const newcomersPort = await openAt(null, wishedPort)
    const ports = new Map(
      await Promise.all(
        macs.map(async (mac): Promise<[string, number]> => [
          mac,
          await openAt(mac, portOf(numbers.all.get(mac)!)),
        ]),
      ),
    )
    const counted = await readCounts()
    const hosts = there.hosts()
    const text = textOf(made, numbers.all, ports, newcomersPort, hosts)
    await tool('nft', ['-f', '-'], text)
    whole = null
    if (counted) before = counted
    names.hold(policy, made.naming)
    for (const { mac } of held?.plan.adapters ?? []) if (!ports.has(mac)) resolver.close(mac)
    held = { policy, plan: made.plan, macs: new Set(macs), text, hosts }
    since ??= instantText(seconds())
  }
  /** What was counted by now; `null` where no table of ours is there. */
  const readCounts = async (): Promise<Counts | null> => {
    if (!held) return null
    const { plan } = held
    const listing = await tool('nft', ['-j', 'list', 'table', ...TABLE.split(' ')]).catch(gone)
    if (listing === null) return null
    const { counts, flows } = readTable(listing, plan, numbers.all, now() / 1000)
    for (const flow of flows) tries.set(`${flow.mac} ${flow.to} ${flow.because}`, flow)
    const old = instantText(seconds() - REMEMBERED)
    for (const [key, { at }] of tries) if (at < old) tries.delete(key)
    return together(before, counts)
  }
  /** The same policy once more. */
  const again = () =>
    inTurn(async () => {
      if (held) await hold(held.policy)
    })
  /**
   * The table as it was after our own writing, without what is counted and remembered in it; `null` until the
   * kernel told of that writing.
   */
  let whole: string | null = null
  /**
   * Puts the table back where somebody else took something out of it: as it was written, so that nothing has
   * to be worked out first.
   */
  const putBack = async () => {
    if (!held || stopped) return
    const listing = await tool('nft', ['-s', '-t', 'list', 'table', ...TABLE.split(' ')]).catch(gone)
    if (listing !== null && (whole === null || listing === whole)) {
      whole = listing
      return
    }
    const { plan, text, hosts } = held
    await tool('nft', ['-f', '-'], text)
    whole = null
    // Addresses that came and went since it was written.
    held.hosts = there.hosts()
    const lines = hostLines(hosts, there.hosts(), plan)
    if (lines !== '') await tool('nft', ['-f', '-'], lines)
    troubles.note('put-back', TABLE, seconds(), TOLD)
    changed('status')
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
      local.read(await tool('ip', ['-j', 'addr']))
      // What is put into a table destroys nothing, so that nobody tells of it.
      await inTurn(putBack)
    }
    await readNeighbours()
    if (
      leases.length > 0 &&
      there.lease((await Promise.all(leases.map(readIfThere))).flatMap((text) => text ?? []))
    )
      changed('sightings')
    changed('evidence')
  }
  // What stands in a flow table is forwarded before any rule of the forward chain is asked.
  const findOffloading = async () => {
    for (const name of flowTables(await tool('nft', ['-j', 'list', 'flowtables'])))
      troubles.note('passed-by', name, seconds(), 45)
  }
  const readNeighbours = async () => {
    if (!there.read(await tool('ip', ['-j', 'neigh', 'show', 'dev', lan]), seconds())) return
    changed('sightings')
    await inTurn(keepHosts)
  }
  /** Tells the table who has which address now. */
  const keepHosts = async () => {
    if (!held) return
    const keyOf = ({ address, mac }: Host) => `${address} ${mac}`
    const [had, has] = [new Set(held.hosts.map(keyOf)), there.hosts()]
    const come = has.filter((host) => !had.has(keyOf(host)))
    const stays = new Set(has.map(keyOf))
    const gone = held.hosts.filter((host) => !stays.has(keyOf(host)))
    const lines = hostLines(gone, come, held.plan)
    held.hosts = has
    // Somebody may have taken the table away in between: then it is put back, and this with it.
    if (lines !== '') await tool('nft', ['-f', '-'], lines).catch(putBack)
  }
  /**
   * Who asks: by the port on which the packet came, which tells a MAC address of the policy; what an unknown
   * device is called, by its IP address.
   */
  const whoIs = (asker: Asker, from: string): Who => {
    if (asker !== null) return { decideAs: asker, tellAs: asker }
    const mac = there.macOf(from)
    return { decideAs: null, tellAs: mac !== null && held?.macs.has(mac) ? null : mac }
  }
  /** Addresses that wait to be put into the table. */
  let waiting: { set: string; addresses: readonly string[] }[] = []
  let putting: Promise<void> | null = null
  const put = (): Promise<void> =>
    (putting ??= new Promise<void>((resolve) => setTimeout(resolve, GATHERED)).then(() => {
      putting = null
      return inTurn(async () => {
        const some = waiting
        waiting = []
        if (some.length > 0) await tool('nft', ['-f', '-'], some.map(addLines).join(''))
      })
    }))
  const resolved = (name: string, addresses: readonly string[]): Promise<void> | void => {
    const fresh = names.found(name, addresses, seconds())
    if (fresh.length === 0) return
    waiting.push(...fresh)
    return put()
  }
  const want = listedNames(
    async (name) => {
      await resolved(name, await resolver.addressesOf(name))
    },
    (error) => tellFault(error, 'looking up the addresses of blocked names'),
  )
  const resolver = startResolver({
    upstreams,
    rule: (name, asker, from, isAlias) => {
      const who = whoIs(asker, from)
      const ruling = names.rule(name, who, seconds(), setting.page !== null, isAlias)
      const listed = ruling && setting.closedAddresses ? names.listedName(name, who, seconds()) : null
      if (listed !== null) want(listed, asker ?? from)
      return ruling
    },
    isRefused: (name, addresses) => local.isRefused(name, addresses, setting.localNames),
    resolved,
    upstream: (host, answers) => {
      if (answers) troubles.over('upstream', host)
      else troubles.note('upstream', host, seconds(), UNTIL_OVER)
      changed('status')
    },
    fault: (error) => error instanceof NothingHeld || tellFault(error, 'answering look-ups'),
  })
  const page = pageServer(
    pagePort,
    (from, name) => {
      const mac = there.macOf(from)
      return mac === null || !setting.page ? null : setting.page(mac, name)
    },
    (error) => tellFault(error, 'showing what is blocked'),
  )
  const beforehand = (error: unknown) => tellFault(error, 'looking at the network before the first policy')
  await tool('ip', ['-j', 'addr']).then(local.read).catch(beforehand)
  await readNeighbours().catch(beforehand)
  return {
    kind: 'linux',
    timeZone,
    now,
    troubles: () => troubles.all(seconds()),
    sightings: () => there.all(),
    evidence: () =>
      inTurn(async () =>
        evidenceOf(
          withLookups((await readCounts()) ?? before, names.closed, names.logged),
          [...tries.values(), ...names.flows()],
          since,
        ),
      ),
    lookups: names.log,
    set: async (next) => {
      const other =
        next.closedAddresses !== setting.closedAddresses || (next.page === null) !== (setting.page === null)
      await page.show(next.page !== null)
      setting = next
      if (other) await again()
    },
    check: async (policy) => {
      const refusal = beyond(policy)
      if (refusal) return refusal
      try {
        const made = planFor(policy)
        const macs = made.plan.adapters.map(({ mac }) => mac)
        // Ports do not matter to whether nft takes it.
        const ports = new Map(macs.map((mac, index) => [mac, (index % 65_000) + 1]))
        return await tool(
          'nft',
          ['-c', '-f', '-'],
          textOf(made, numbers.tentative(macs), ports, 65_535, []),
        ).then(() => null)
      } catch (error) {
        return refused(error)
      }
    },
    apply: async (policy) => beyond(policy) ?? inTurn(() => hold(policy).then(() => null, refused)),
    start: (tell) => {
      changed = tell
      // In turn, so that our own replacement, which is heard too, is over; made anew, with what was found for
      // names since.
      unwatch = watchTaken(
        () =>
          inTurn(putBack).catch((error: unknown) =>
            tellFault(error, 'putting back the table that somebody flushed'),
          ),
        (error) => tellFault(error, 'watching the table'),
      )
      const next = (after: number) => {
        timer = setTimeout(() => {
          const begun = process.cpuUsage()
          void look()
            .then(
              () => (told = ''),
              (error: unknown) => tellFault(error, 'looking at the network'),
            )
            .finally(() => {
              const { user, system } = process.cpuUsage(begun)
              if (!stopped) next(Math.max(TICK, ((user + system) / 1000) * RESTS))
            })
        }, after)
      }
      next(TICK)
    },
    stop: () => {
      stopped = true
      clearTimeout(timer)
      unwatch()
      resolver.stop()
      void page.show(false)
    },
  }
}

/**
 * The port on which the look-ups of a device are answered, by its number: the same after a restart, since the
 * kernel goes on sending a client that
 * always asks from one port to where it sent it first. Below those that Linux gives to connections; 0 = any,
 * for numbers beyond them.
 */
const portOf = (number: number) => (number < 32_768 - FIRST_PORT ? FIRST_PORT + number : 0)
const FIRST_PORT = 10_000

/** What of a policy this plane cannot do: it does not tell networks apart yet. */
function beyond({ rules, overrides }: Policy): Refusal {
  const uses = ({ who }: Policy['rules'][number] | Policy['overrides'][number]) =>
    who.networks.length + who.except.networks.length > 0
  const fault = (part: string) => (entry: Parameters<typeof uses>[0], index: number) =>
    uses(entry)
      ? [
          {
            path: `${part}[${index}].who`,
            message:
              'names networks, which a Linux gateway does not tell apart yet: name devices or groups instead',
          },
        ]
      : []
  const faults = [...rules.flatMap(fault('rules')), ...overrides.flatMap(fault('overrides'))]
  return faults.length > 0 ? faults : null
}

/** What nft does not take is refused; nothing changed then. */
function refused(error: unknown): Refusal {
  // What may pass is no fault of the policy: who asks may ask again.
  if (error instanceof ToolFault && error.isPassing) throw error
  if (error instanceof RangeError) return [{ path: 'devices', message: error.message }]
  if (error instanceof ToolFault)
    return [{ path: '', message: `cannot be put into the packet filter: ${error.message}` }]
  throw error
}

/** Somebody may have taken our table away. */
function gone(error: unknown): null {
  if (error instanceof ToolFault) return null
  throw error
}

/** Addresses into a set of our table, each beside those of its version of IP. */
function addLines({
  set: name,
  addresses,
}: {
  readonly set: string
  readonly addresses: readonly string[]
}): string {
  return VERSIONS.map(({ set, version }) => {
    const some = addresses.filter((address) => versionOf(address) === version)
    return some.length === 0 ? '' : `add element ${TABLE} ${name}${set} { ${some.join(', ')} }\n`
  }).join('')
}
