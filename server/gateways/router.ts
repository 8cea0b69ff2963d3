import { Mutex } from 'async-mutex'
import { rm } from 'node:fs/promises'
import { getServers } from 'node:dns'
import { join } from 'node:path'
import { readIfThere, writeAtomically } from '../../node/atomic-file.ts'
import { startGateway, type GatewayProgram } from '../../gateway/program/gateway.ts'
import { keptMarks } from '../../gateway/planes/linux/table/mark-registry.ts'
import { letInCommands } from '../../gateway/router/let-in.ts'
import { letGo } from '../../gateway/planes/linux/table/offload.ts'
import { linuxPlane, PORTS } from '../../gateway/planes/linux/plane.ts'
import { reportOf } from '../../gateway/router/router-report.ts'
import { StartUp } from '../../gateway/router/start-up.ts'
import { AwayFault } from '../../gateway/planes/linux/system.ts'
import { openVia, ownKey, VIA_FILES, type OpenedVia, type Via } from '../../gateway/planes/linux/ssh/via.ts'
import { TABLE } from '../../gateway/planes/linux/table/table-setting.ts'
import type { SwitchedGateway } from '../../gateway/transport/switched.ts'
import { threadedReader } from '../../gateway/program/reader-thread.ts'
import { STATE_FILES } from '../../gateway/state/state.ts'
import { pairingForm } from '../../protocol/forms.ts'
import type {
  LetIn,
  RouterAddress,
  RouterAnswer,
  RouterLook,
  RouterPairing,
  StartUpAnswer,
} from '../../protocol/router.ts'
import { builtFile } from '../../node/built-file.ts'
import { ApiError } from '../errors.ts'

/** How long it is waited before a router that is away is tried again, in milliseconds. */
const AGAIN = 5000
/** Where routers keep the names that devices gave themselves. */
const LEASES = ['/tmp/dhcp.leases', '/var/lib/misc/dnsmasq.leases']

/** What the driver of a router works with. */
export interface RouterDriverParts {
  /** Where the pairing, the key and the gateway's state are. */
  readonly folder: string
  readonly gateway: SwitchedGateway
  /** Puts the gateway in place that runs while no router is paired. */
  readonly unpaired: () => Promise<GatewayProgram>
  readonly timeZone: () => Promise<string>
  /** Hears whether a router is paired, which no other process can drive. */
  readonly bound: (isBound: boolean) => Promise<void>
  /** Forgets who was seen on the simulated network. */
  readonly forget: () => Promise<void>
  readonly fault: (error: unknown, doing: string) => void
}

/** Drives the router that this application is paired with over SSH, or the simulated network while there is none. */
export class RouterDriver {
  /** One change after the other: a router that returns while another is paired is not driven. */
  readonly #changing = new Mutex()
  #running: GatewayProgram | null = null
  #pairing: RouterPairing | null = null
  #startUp: StartUp | null = null
  #again: NodeJS.Timeout | undefined
  #isResting = false

  constructor(private readonly parts: RouterDriverParts) {}

  /** Takes up what was paired; a router that is away is tried until it is there. */
  async start(): Promise<void> {
    this.#isResting = false
    const file = join(this.parts.folder, PAIRING)
    const text = await readIfThere(file)
    await this.parts.bound(text !== null)
    if (text === null) return this.#simulate()
    try {
      this.#pairing = pairingForm.validateSync(JSON.parse(text))
    } catch (error) {
      // The router goes on by itself: a simulated one in its place would hide that.
      this.parts.fault(error, `reading ${file}`)
      this.parts.gateway.leave(`${file} is damaged: connect the router again.`)
      return
    }
    await this.#drive(this.#pairing)
  }

  /** Whether a router is paired. */
  get isPaired(): boolean {
    return this.#pairing !== null
  }

  /** Ends what runs while another gateway is paired, until it is started again. */
  async rest(): Promise<void> {
    await this.stop()
    this.#running = null
    this.#isResting = true
  }

  /** Ends what runs. */
  async stop(): Promise<void> {
    clearTimeout(this.#again)
    this.#startUp?.stop()
    await this.#running?.stop()
  }

  /**
   * The pairing, and the commands that let us in.
   *
   * @throws ApiError `not-possible` where our key cannot be read
   */
  async answer(): Promise<RouterAnswer> {
    try {
      return { pairing: this.#pairing, letIn: await this.#letInCommands() }
    } catch (error) {
      return notPossible('key')(error)
    }
  }

  /** Looks at a router without changing anything. */
  async look(address: RouterAddress): Promise<RouterLook> {
    let opened: OpenedVia | undefined
    try {
      opened = await openVia(viaOf(address), this.parts.folder)
      await opened.system.run('true', [])
      return { report: await reportOf(opened.system, opened.fingerprint()) }
    } catch (error) {
      return { trouble: wordsOf(error), isLocked: error instanceof AwayFault && error.isLocked }
    } finally {
      opened?.system.stop()
    }
  }

  /** Has a router let our key in, by its user's password, which is kept nowhere; then looks at it. */
  async letIn({ password, isBound, ...address }: LetIn): Promise<RouterLook> {
    let opened: OpenedVia | undefined
    try {
      const commands = await this.#letInCommands()
      opened = await openVia(viaOf(address), this.parts.folder, password)
      await opened.system.run('sh', ['-s'], `${isBound ? commands.bound : commands.whole}\n`)
    } catch (error) {
      return { trouble: wordsOf(error), isLocked: false }
    } finally {
      opened?.system.stop()
    }
    return this.look(address)
  }

  async #letInCommands() {
    const { keyLine } = await ownKey(this.parts.folder)
    return letInCommands(keyLine, LEASES)
  }

  /**
   * Drives a router from now on, whose host key is the only one that is trusted.
   *
   * @throws ApiError `not-possible` where it cannot be driven; then nothing changed
   */
  pair(pairing: RouterPairing): Promise<void> {
    return this.#changing.runExclusive(() => this.#pair(pairing))
  }

  async #pair(pairing: RouterPairing): Promise<void> {
    if (this.#isResting)
      notPossible('address')('cannot be driven while a gateway is paired: disconnect that first')
    const before = this.#pairing
    await this.#leave('The router is being connected.')
    // What the simulated network looked up and used is nobody's.
    if (!before)
      for (const file of [STATE_FILES.lookups, STATE_FILES.usage])
        await rm(join(this.parts.folder, file), { force: true })
    try {
      await this.#open(pairing)
      await writeAtomically(join(this.parts.folder, PAIRING), JSON.stringify(pairing))
      this.#pairing = pairing
      await this.parts.bound(true)
      if (!before) await this.parts.forget()
    } catch (error) {
      await this.#unmake(before)
      notPossible('address')(error)
    }
  }

  /** Goes back to what was before a router was paired that cannot be driven. */
  async #unmake(before: RouterPairing | null): Promise<void> {
    const { folder, bound, fault } = this.parts
    await this.#leave('The router could not be connected.')
    this.#pairing = before
    if (before) {
      await writeAtomically(join(folder, PAIRING), JSON.stringify(before))
      return this.#drive(before)
    }
    for (const file of [PAIRING, VIA_FILES.hostKey]) await rm(join(folder, file), { force: true })
    await bound(false).catch((error: unknown) => fault(error, 'noting that no router is paired'))
    await this.#simulate()
  }

  /**
   * Whether the last table is kept on the router, and the files that load it there.
   *
   * @throws ApiError `not-possible` where that cannot be found out
   */
  async startUp(): Promise<StartUpAnswer> {
    const startUp = this.#paired()
    const offer = await startUp.offer().catch(notPossible('start-up'))
    return { isKept: this.#pairing!.startUp, ...offer }
  }

  /**
   * Keeps the last table on the router from now on, or deletes it there.
   *
   * @throws ApiError `not-possible` where the router does not do so
   */
  keepOnRouter(isKept: boolean): Promise<StartUpAnswer> {
    return this.#changing.runExclusive(async () => {
      const startUp = this.#paired()
      await (isKept ? startUp.begin() : startUp.end()).catch(notPossible('start-up'))
      this.#pairing = { ...this.#pairing!, startUp: isKept }
      await writeAtomically(join(this.parts.folder, PAIRING), JSON.stringify(this.#pairing))
      return this.startUp()
    })
  }

  #paired(): StartUp {
    return this.#startUp ?? notPossible('address')('is not driven now: connect it, and see that it is on')
  }

  /** Drives no router any more: our table is taken out of it where it can be reached, and its host key forgotten. */
  unpair(): Promise<void> {
    return this.#changing.runExclusive(() => this.#unpair())
  }

  async #unpair(): Promise<void> {
    const { folder, fault } = this.parts
    const pairing = this.#pairing
    await this.#leave('The router is being disconnected.')
    if (pairing) {
      const { system } = await openVia(viaOf(pairing), folder)
      if (pairing.startUp)
        await new StartUp(system, fault)
          .end()
          .catch((error: unknown) => fault(error, 'deleting the start-up file of the router'))
      if (pairing.offload === 'unrestricted')
        await letGo(system).catch((error: unknown) =>
          fault(error, 'letting the firewall of the router offload all again'),
        )
      await system
        .run('nft', ['delete', 'table', ...TABLE.split(' ')])
        .catch((error: unknown) => fault(error, 'taking the table out of the router'))
      system.stop()
    }
    for (const file of [PAIRING, VIA_FILES.hostKey]) await rm(join(folder, file), { force: true })
    this.#pairing = null
    await this.parts.bound(false)
    await this.#simulate()
  }

  async #leave(reason: string): Promise<void> {
    clearTimeout(this.#again)
    this.parts.gateway.leave(reason)
    this.#startUp?.stop()
    this.#startUp = null
    await this.#running?.stop()
    this.#running = null
  }

  async #simulate(): Promise<void> {
    this.#running = await this.parts.unpaired()
    this.parts.gateway.use(this.#running)
  }

  async #drive(pairing: RouterPairing): Promise<void> {
    try {
      await this.#open(pairing)
    } catch (error) {
      this.parts.gateway.leave(wordsOf(error))
      this.#again = setTimeout(
        () =>
          void this.#changing.runExclusive(async () => {
            if (this.#pairing === pairing && !this.#running) await this.#drive(pairing)
          }),
        AGAIN,
      )
      this.#again.unref()
    }
  }

  async #open({ lans, fallback, offload, startUp: isKept, ...address }: RouterPairing): Promise<void> {
    const { folder, gateway, timeZone, fault } = this.parts
    const opened: OpenedVia = await openVia(viaOf(address), folder)
    try {
      await opened.system.run('true', [])
      const startUp = new StartUp(opened.system, fault)
      const { numbers, damages } = await keptMarks(join(folder, STATE_FILES.numbers))
      const plane = await linuxPlane({
        system: opened.system,
        alone: fallback,
        offload,
        lans,
        outside: 'closed',
        upstreams: getServers().map(upstreamOf),
        newcomersPort: PORTS.newcomers,
        pagePort: PORTS.page,
        leases: LEASES,
        timeZone: await timeZone(),
        numbers,
        clockFile: null,
        clockFloorFile: join(folder, STATE_FILES.clock),
        fault,
        written: (table) => startUp.keep(table),
      })
      const program = await builtFile('gateway.mjs')
      this.#running = await startGateway(plane, {
        folder,
        fault,
        damages,
        // What answers look-ups is not held up by a long policy.
        ...(program ? { reader: threadedReader(program) } : {}),
      })
      await opened.pin()
      if (isKept) await startUp.begin()
      this.#startUp = startUp
      gateway.use(this.#running)
    } catch (error) {
      // The program ends, so that the next try begins from nothing.
      const program = this.#running
      this.#running = null
      await program?.stop().catch((failed: unknown) => fault(failed, 'ending what drives the router'))
      opened.system.stop()
      throw error
    }
  }
}

/** The file that says which router is driven. */
export const PAIRING = 'router.json'

const viaOf = ({ address, port, user }: RouterAddress): Via => ({ host: address, port, user })
/** Refuses what could not be done at the router, by why. */
const notPossible =
  (path: string) =>
  (error: unknown): never => {
    throw new ApiError('not-possible', '', [{ path, message: wordsOf(error) }])
  }
const wordsOf = (error: unknown) => (error instanceof Error ? error.message : String(error))

/** A name server as Node tells it (`192.0.2.1`, `192.0.2.1:5353`, `[2001:db8::1]:5353`). */
function upstreamOf(text: string): { host: string; port: number } {
  const [, host, port] = /^\[?([^\]]+?)\]?(?::(\d+))?$/.exec(
    text.includes('[') || text.split(':').length <= 2 ? text : `[${text}]`,
  )!
  return { host: host!, port: port === undefined ? 53 : Number(port) }
}

/**
 * What drives the router.
 *
 * @throws ApiError `not-possible` where the application was started for a certain gateway
 */
export function driverOf(router: RouterDriver | null): RouterDriver {
  if (router) return router
  throw new ApiError('not-possible', '', [
    {
      path: 'KAIROSTAT_GATEWAY',
      message: 'names the gateway: start Kairostat without it to connect a router here',
    },
  ])
}
