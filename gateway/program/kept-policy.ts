import { stat } from 'node:fs/promises'
import { join } from 'node:path'
import { compiledOf, everyDevice, maskOf } from '../../core/decision/compile.ts'
import { ANY_NEWCOMER, type Subject } from '../../core/decision/subject.ts'
import { readPolicy } from '../../core/policy/read.ts'
import type { Policy } from '../../core/policy/types.ts'
import { readIfThere } from '../../node/atomic-file.ts'
import { readOrBegin, reasonOf, STATE_FILES, type Damage } from '../state/state.ts'
import type { PolicyReader } from './reader.ts'

/**
 * The devices that a policy never restricts, stored beside it for the case that the policy itself can't be
 * read.
 */
export interface KnownOpen {
  /** Whether unknown devices are restricted by nothing. */
  readonly newcomers: boolean
  /** Addresses of devices that nothing restricts, and of those that something does. */
  readonly open: readonly string[]
  readonly restricted: readonly string[]
}

/** Nobody is known to be unrestricted. */
export const NOBODY_OPEN: KnownOpen = { newcomers: false, open: [], restricted: [] }

/**
 * The policy of a state folder: none yet; one, with when it was stored (seconds); or that there was one and
 * it can't be read.
 */
export type KeptPolicy =
  | { readonly kind: 'none' }
  | { readonly kind: 'policy'; readonly policy: Policy; readonly digest: string; readonly since: number }
  | { readonly kind: 'lost'; readonly damage: Damage; readonly instead: Policy }

/**
 * Reads the policy. What can't be read is never taken for none: then those who are not known to be open are
 * blocked, until the application sends the policy anew.
 */
export async function readKeptPolicy(
  folder: string,
  timeZone: string,
  reader: PolicyReader,
): Promise<KeptPolicy> {
  const file = join(folder, STATE_FILES.policy)
  const openFile = join(folder, STATE_FILES.open)
  const lost = async (why: string): Promise<KeptPolicy> => {
    const words = `${why}. Devices that are not known to be unrestricted are blocked. Apply the policy again in the application, or remove ${folder} to begin without one`
    return {
      kind: 'lost',
      damage: { file, words },
      instead: blocksAllBut(await readOpen(openFile), timeZone, 'read'),
    }
  }
  try {
    const text = await readIfThere(file)
    if (text === null)
      return (await readIfThere(openFile)) === null ? { kind: 'none' } : await lost('is missing')
    const result = await reader.document(text)
    return 'policy' in result
      ? {
          kind: 'policy',
          policy: result.policy,
          digest: result.digest,
          since: Math.ceil((await stat(file)).mtimeMs / 1000),
        }
      : await lost(`holds no policy: ${result.faults[0]!.path} ${result.faults[0]!.message}`)
  } catch (error) {
    return lost(error instanceof SyntaxError ? `is damaged: ${error.message}` : reasonOf(error))
  }
}

/** Returns the devices that a policy never restricts. */
export function knownOpen(policy: Policy): KnownOpen {
  const compiled = compiledOf(policy)
  const blocksNothing = (mask: Uint32Array) =>
    mask.every((word, index) => (word & compiled.blocks[index]!) === 0)
  // Somebody whom a rule blocks in a network is restricted: where they are is not known then.
  const isOpen = (subject: Subject) =>
    [null, ...policy.networks.map(({ id }) => id)].every((network) =>
      blocksNothing(maskOf(compiled, { ...subject, network })),
    )
  const devices = everyDevice(compiled).map((subject, index) => ({
    macs: policy.devices[index]!.adapters.map(({ mac }) => mac),
    isOpen: compiled.shielded.has(subject.device!) || isOpen(subject),
  }))
  const macs = (open: boolean) =>
    devices.filter((device) => device.isOpen === open).flatMap((device) => device.macs)
  return {
    newcomers: isOpen(ANY_NEWCOMER),
    open: macs(true),
    restricted: macs(false),
  }
}

async function readOpen(file: string): Promise<KnownOpen> {
  const isMac = (value: unknown): value is string =>
    typeof value === 'string' && /^([0-9a-f]{2}:){5}[0-9a-f]{2}$/.test(value)
  const { value } = await readOrBegin(
    file,
    (text) => {
      const read = JSON.parse(text) as Partial<KnownOpen> | null
      const lists = [read?.open, read?.restricted]
      return lists.every((list) => Array.isArray(list) && list.every(isMac))
        ? { newcomers: read!.newcomers === true, open: read!.open!, restricted: read!.restricted! }
        : null
    },
    NOBODY_OPEN,
  )
  return value
}

/**
 * A policy that blocks everybody who is not known to be open, named by what cannot be done with the one that
 * should be in force.
 */
export function blocksAllBut(
  { newcomers, open, restricted }: KnownOpen,
  timeZone: string,
  cannotBe: 'read' | 'enforced',
): Policy {
  const device = (shielded: boolean) => (mac: string) => ({
    id: mac,
    name: mac,
    adapters: [{ mac, medium: 'other' }],
    shielded,
  })
  const [free, others] = [[...new Set(open)], [...new Set(restricted)].filter((mac) => !open.includes(mac))]
  const result = readPolicy({
    kairostat: 1,
    place: { name: 'Kairostat', timeZone },
    devices: [...free.map(device(true)), ...others.map(device(false))],
    rules: [
      {
        id: `policy-cannot-be-${cannotBe.replaceAll(' ', '-')}`,
        name: `The policy of the gateway cannot be ${cannotBe}`,
        effect: 'block',
        who: newcomers ? { devices: others } : { everyone: true },
        what: { internet: true },
        when: { always: true },
      },
    ],
  })
  if ('faults' in result) throw new Error(`${result.faults[0]!.path} ${result.faults[0]!.message}`)
  return result.policy
}
