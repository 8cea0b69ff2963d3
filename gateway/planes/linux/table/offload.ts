import type { RouterPairing } from '../../../../protocol/router.ts'
import { flowTables } from '../watch/listing.ts'
import { bindingLines, readFlowTables } from './offload-rules.ts'
import type { RouterSystem } from '../system.ts'

/** The devices whose connections a firewall may forward past the rules. */
export type Offload = RouterPairing['offload']

/** The surroundings of the guard of flow tables. */
export interface OffloadWatchParts {
  readonly system: RouterSystem
  readonly offload: Offload
  /** The marks of the connections of who is never restricted; `null` while no policy is in force. */
  readonly unrestricted: () => readonly number[] | null
}

/** The milliseconds that connections take to have their marks. */
const MARKED_AFTER = 5000
/** The mark of what is no connection of the local network, or was not seen yet. */
const NONE = 0

/**
 * Connections in a flow table are forwarded before any rule of the forward chain. Where it was agreed,
 * the rules of the firewall hand over only the connections of who is never restricted.
 */
export class OffloadWatch {
  #isFirst = true
  /** The time at which rules were last found unbound, in milliseconds. */
  #unboundAt = Infinity

  constructor(private readonly parts: OffloadWatchParts) {}

  /**
   * Looks for flow tables, and binds them as it was agreed.
   *
   * @returns the names of those that forward restricted devices past the rules
   * @throws ToolFault where the firewall does not take it
   */
  async look(): Promise<string[]> {
    const { system, offload } = this.parts
    const isFirst = this.#isFirst
    this.#isFirst = false
    const names = flowTables(await system.run('nft', ['-j', 'list', 'flowtables']))
    // Rules that an earlier run bound are let go first.
    if (names.length === 0 || (offload === 'all' && !isFirst)) return names
    const allowed = this.parts.unrestricted()
    // Without a policy there is no rule to pass by.
    if (offload === 'unrestricted' && allowed === null) return []
    const found = readFlowTables(await system.run('nft', ['-a', '-t', 'list', 'ruleset']))
    const now = Date.now()
    if (this.#unboundAt === Infinity || found.some(({ rules }) => rules.some(({ marks }) => marks === null)))
      this.#unboundAt = now
    // A connection that was in the table before gets its mark with its next packets.
    const isMarked = now - this.#unboundAt > MARKED_AFTER
    const marks = offload === 'all' ? null : [...allowed!, ...(isMarked ? [NONE] : [])]
    const lines = found
      .filter(({ isPlain }) => isPlain)
      .map((one) => bindingLines(one, marks))
      .join('')
    if (lines !== '') await system.run('nft', ['-f', '-'], lines)
    return offload === 'all' ? names : found.filter(({ isPlain }) => !isPlain).map(({ name }) => name)
  }

  /** Binds what was bound to other connections, since another policy is in force. */
  async follow(): Promise<void> {
    if (this.parts.offload === 'unrestricted') await this.look()
  }
}

/** Lets the rules of a firewall hand over what they did before they were bound. */
export async function letGo(system: RouterSystem): Promise<void> {
  await new OffloadWatch({ system, offload: 'all', unrestricted: () => null }).look()
}
