import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { Mutex } from 'async-mutex'
import { readIfThere, writeAtomically } from '../../node/atomic-file.ts'
import { pairingForm } from '../../protocol/forms.ts'
import { NoGateway, type Gateway } from '../../protocol/gateway/gateway.ts'
import type {
  LetIn,
  RouterAddress,
  RouterAnswer,
  RouterLook,
  RouterPairing,
  StartUpAnswer,
} from '../../protocol/router.ts'
import { VIA_FILES } from '../planes/linux/ssh/via.ts'
import type { GatewayProgram } from '../program/gateway.ts'
import type { FaultListener } from '../state/state-damage.ts'
import { driveRouter, type DrivenRouter } from './driven-router.ts'
import { cleanRouter, letInAtRouter, letInCommandsOf, lookAtRouter } from './router-access.ts'
import { asRouterFault, RouterFault } from './router-fault.ts'
import type { StartUp } from './start-up.ts'

/** The file that names the router that is driven. */
export const PAIRING_FILE = 'router.json'

/** The time after which a router that is away is tried again. */
const RETRY_AFTER_MS = 5000

/** A socket for the gateway that is in use. */
interface GatewaySocket {
  use(gateway: Gateway): void
  leave(reason: Error): void
}

/** The surroundings of the driver of a router. */
export interface RouterDriverParts {
  /** The folder of the pairing, the key and the gateway's state. */
  readonly folder: string
  readonly gateway: GatewaySocket
  /** Starts the gateway that runs while no router is paired; `null` = none runs then. */
  readonly unpaired: () => Promise<GatewayProgram | null>
  readonly timeZone: () => Promise<string>
  /** Hears whether a router is paired, which no other process can drive. */
  readonly bound: (isBound: boolean) => Promise<void>
  readonly fault: FaultListener
}

/** Drives the paired router over SSH; while none is paired, a made-up network may run. */
export class RouterDriver {
  /** Serialises changes: a router that returns while another is paired is not driven. */
  readonly #changing = new Mutex()
  #running: { stop(): Promise<void> } | null = null
  #pairing: RouterPairing | null = null
  #startUp: StartUp | null = null
  #retryTimer: NodeJS.Timeout | undefined
  #isResting = false

  constructor(private readonly parts: RouterDriverParts) {}

  /** Drives the router that was paired before; tries a router that is away until it answers. */
  async start(): Promise<void> {
    this.#isResting = false
    const file = this.#fileOf(PAIRING_FILE)
    const text = await readIfThere(file)
    await this.parts.bound(text !== null)
    if (text === null) return this.#runUnpaired()
    try {
      this.#pairing = pairingForm.validateSync(JSON.parse(text))
    } catch (error) {
      // The router goes on by itself: a made-up network in its place would hide that.
      this.parts.fault(error, `reading ${file}`)
      this.parts.gateway.leave(new Error(`${file} is damaged: connect the router again.`))
      return
    }
    await this.#drive(this.#pairing)
  }

  /** Whether a router is paired. */
  get isPaired(): boolean {
    return this.#pairing !== null
  }

  /** Ends everything that runs while another gateway is paired, until the next start. */
  async rest(): Promise<void> {
    await this.stop()
    this.#running = null
    this.#isResting = true
  }

  /** Ends everything that runs. */
  async stop(): Promise<void> {
    clearTimeout(this.#retryTimer)
    this.#startUp?.stop()
    await this.#running?.stop()
  }

  /**
   * Returns the pairing, and the commands that install our key.
   *
   * @throws RouterFault where our key cannot be read
   */
  async answer(): Promise<RouterAnswer> {
    const letIn = await letInCommandsOf(this.parts.folder).catch(asRouterFault('key'))
    return { pairing: this.#pairing, letIn }
  }

  /** Looks at a router and changes nothing. */
  look(address: RouterAddress): Promise<RouterLook> {
    return lookAtRouter(this.parts.folder, address)
  }

  /** Installs our key on a router by its user's password, which is stored nowhere; then looks at it. */
  letIn(wish: LetIn): Promise<RouterLook> {
    return letInAtRouter(this.parts.folder, wish)
  }

  /**
   * Drives a router from now on, and trusts no other host key.
   *
   * @throws RouterFault where the router cannot be driven; then nothing changed
   */
  pair(pairing: RouterPairing): Promise<void> {
    return this.#changing.runExclusive(() => this.#pair(pairing))
  }

  async #pair(pairing: RouterPairing): Promise<void> {
    if (this.#isResting)
      throw new RouterFault('address', 'cannot be driven while a gateway is paired: disconnect that first')
    const before = this.#pairing
    await this.#leave('The router is being connected.')
    try {
      await this.#open(pairing)
      await this.#savePairing(pairing)
      await this.parts.bound(true)
    } catch (error) {
      await this.#undoPairing(before)
      asRouterFault('address')(error)
    }
  }

  /** Goes back to the pairing before one that failed. */
  async #undoPairing(before: RouterPairing | null): Promise<void> {
    const { bound, fault } = this.parts
    await this.#leave('The router could not be connected.')
    this.#pairing = before
    if (before) {
      await this.#savePairing(before)
      return this.#drive(before)
    }
    await this.#deleteFiles(PAIRING_FILE, VIA_FILES.hostKey)
    await bound(false).catch((error: unknown) => fault(error, 'noting that no router is paired'))
    await this.#runUnpaired()
  }

  /**
   * Returns whether the last table is kept on the router, and the files that load it there.
   *
   * @throws RouterFault where the router does not say
   */
  async startUp(): Promise<StartUpAnswer> {
    const offer = await this.#pairedStartUp().offer().catch(asRouterFault('start-up'))
    return { isKept: this.#pairing!.startUp, ...offer }
  }

  /**
   * Keeps the last table on the router from now on, or deletes it there.
   *
   * @throws RouterFault where the router does not do so
   */
  keepOnRouter(isKept: boolean): Promise<StartUpAnswer> {
    return this.#changing.runExclusive(async () => {
      const startUp = this.#pairedStartUp()
      await (isKept ? startUp.begin() : startUp.end()).catch(asRouterFault('start-up'))
      await this.#savePairing({ ...this.#pairing!, startUp: isKept })
      return this.startUp()
    })
  }

  #pairedStartUp(): StartUp {
    if (this.#startUp) return this.#startUp
    throw new RouterFault('address', 'is not driven now: connect it, and see that it is on')
  }

  /** Drives no router any more: removes our table where the router answers, and forgets its host key. */
  unpair(): Promise<void> {
    return this.#changing.runExclusive(async () => {
      const { folder, fault, bound } = this.parts
      const pairing = this.#pairing
      await this.#leave('The router is being disconnected.')
      if (pairing) await cleanRouter(folder, pairing, fault)
      await this.#deleteFiles(PAIRING_FILE, VIA_FILES.hostKey)
      this.#pairing = null
      await bound(false)
      await this.#runUnpaired()
    })
  }

  async #leave(reason: string): Promise<void> {
    clearTimeout(this.#retryTimer)
    this.parts.gateway.leave(new Error(reason))
    this.#startUp?.stop()
    this.#startUp = null
    await this.#running?.stop()
    this.#running = null
  }

  /** Ends what runs while no router is paired, and starts it anew; does nothing while one is. */
  renewUnpaired(): Promise<void> {
    return this.#changing.runExclusive(async () => {
      if (this.#pairing || this.#isResting) return
      await this.#leave('The network is being changed.')
      await this.#runUnpaired()
    })
  }

  async #runUnpaired(): Promise<void> {
    const program = await this.parts.unpaired()
    this.#running = program
    if (program) this.parts.gateway.use(program)
    else this.parts.gateway.leave(new NoGateway())
  }

  async #drive(pairing: RouterPairing): Promise<void> {
    try {
      await this.#open(pairing)
    } catch (error) {
      this.parts.gateway.leave(error instanceof Error ? error : new Error(String(error)))
      const retry = async () => {
        if (this.#pairing === pairing && !this.#running) await this.#drive(pairing)
      }
      this.#retryTimer = setTimeout(() => void this.#changing.runExclusive(retry), RETRY_AFTER_MS).unref()
    }
  }

  async #open(pairing: RouterPairing): Promise<void> {
    const { folder, gateway, timeZone, fault } = this.parts
    const { program, startUp }: DrivenRouter = await driveRouter(pairing, {
      folder,
      timeZone: await timeZone(),
      fault,
    })
    this.#running = program
    this.#startUp = startUp
    gateway.use(program)
  }

  async #savePairing(pairing: RouterPairing): Promise<void> {
    await writeAtomically(this.#fileOf(PAIRING_FILE), JSON.stringify(pairing))
    this.#pairing = pairing
  }

  async #deleteFiles(...names: readonly string[]): Promise<void> {
    for (const name of names) await rm(this.#fileOf(name), { force: true })
  }

  #fileOf(name: string): string {
    return join(this.parts.folder, name)
  }
}
