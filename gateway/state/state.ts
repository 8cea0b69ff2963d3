import { stat } from 'node:fs/promises'
import { join } from 'node:path'
import { compiledOf, everyDevice, maskOf } from '../../core/decision/compile.ts'
import { ANY_NEWCOMER, type Subject } from '../../core/decision/subject.ts'
import { readPolicy } from '../../core/policy/read.ts'
import { isObject } from '../../core/policy/shape.ts'
import type { Policy } from '../../core/policy/types.ts'
import type { AllowanceState, Pool, SpentTime } from '../usage/allowances.ts'
import { readIfThere } from '../../node/atomic-file.ts'
import type { PolicyReader } from '../program/reader.ts'
import { readRequests, type AccessRequest } from '../../protocol/request.ts'
import { FIRST_SETTINGS, readSettings, type Settings } from '../../protocol/settings.ts'

/** What the folder of a gateway's state holds, by file. */
export const STATE_FILES = {
  policy: 'policy.json',
  open: 'known-open.json',
  settings: 'settings.json',
  numbers: 'numbers.json',
  lookups: 'lookups.jsonl',
  requests: 'requests.json',
  usage: 'usage.jsonl',
  allowances: 'allowances.json',
  clock: 'clock-known',
  secret: 'secret',
} as const

/** A file that could not be read: which, why, and what to do. */
export interface Damage {
  readonly file: string
  readonly words: string
}

/** What was read of a file, with why it could not be. */
export interface ReadState<T> {
  readonly value: T
  readonly damage: Damage | null
}

/**
 * Who is never restricted by a policy, kept beside it: what is known where the policy itself can't be read.
 */
export interface KnownOpen {
  /** Whether unknown devices are restricted by nothing. */
  readonly newcomers: boolean
  /** Addresses of devices that nothing restricts, and of those that something does. */
  readonly open: readonly string[]
  readonly restricted: readonly string[]
}

/** That nobody is known to be open. */
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

/** Reads a file of JSON that the gateway can begin anew, with what it begins with. */
export async function readOrBegin<T>(
  file: string,
  read: (text: string) => T | null,
  first: T,
): Promise<ReadState<T>> {
  const damaged = (why: string): ReadState<T> => ({
    value: first,
    damage: {
      file,
      words: `${why}. It is begun anew; what was chosen or noted there has to be chosen again`,
    },
  })
  try {
    const text = await readIfThere(file)
    if (text === null) return { value: first, damage: null }
    const value = read(text)
    return value === null ? damaged('holds something else') : { value, damage: null }
  } catch (error) {
    return damaged(error instanceof SyntaxError ? `is damaged: ${error.message}` : reasonOf(error))
  }
}

/** Reads the settings. */
export function readKeptSettings(folder: string): Promise<ReadState<Settings>> {
  return readOrBegin(
    join(folder, STATE_FILES.settings),
    (text) => {
      const result = readSettings(JSON.parse(text))
      return 'settings' in result ? result.settings : null
    },
    FIRST_SETTINGS,
  )
}

/** Reads the requests for more time. */
export function readKeptRequests(folder: string): Promise<ReadState<readonly AccessRequest[]>> {
  return readOrBegin(join(folder, STATE_FILES.requests), (text) => readRequests(JSON.parse(text)), [])
}

/**
 * Reads what was used of allowances; where that cannot be done, `null`: what those who were blocked may do is not
 * known.
 */
export async function readKeptAllowances(folder: string): Promise<ReadState<AllowanceState | null>> {
  const { value, damage } = await readOrBegin<AllowanceState | null>(
    join(folder, STATE_FILES.allowances),
    (text) => {
      const state = JSON.parse(text) as Partial<AllowanceState> | null
      const { pools, past, ended = [] } = state ?? {}
      if (!Array.isArray(pools) || !Array.isArray(past) || !Array.isArray(ended)) return null
      const isRead = [...pools, ...ended].every(isPool) && past.every(isSpentTime)
      return isRead ? { pools, past, ended } : null
    },
    { pools: [], past: [], ended: [] },
  )
  if (!damage) return { value, damage }
  const words = damage.words.replace(
    /It is begun anew.*/,
    'Allowances are taken for used up until their day or week ends; grant more minutes where that is not right',
  )
  return { value: null, damage: { ...damage, words } }
}

const isTextOrNull = (value: unknown) => value === null || typeof value === 'string'
const isWhole = (value: unknown) => Number.isSafeInteger(value)
const isOwned = ({ rule, device, mac }: Record<string, unknown>) =>
  typeof rule === 'string' && isTextOrNull(device) && isTextOrNull(mac)
const isRange = ({ from, until }: Record<string, unknown>) => isWhole(from) && isWhole(until)

function isSpentTime(value: unknown): value is SpentTime {
  return isObject(value) && isOwned(value) && isRange(value)
}

function isPool(value: unknown): value is Pool {
  if (!isObject(value) || !isOwned(value) || !isObject(value.period) || !isRange(value.period)) return false
  const { kind, used, network, lastMinute, spentFrom } = value
  const isCounted = isWhole(used) && Number(used) >= 0
  const areTimes = [lastMinute, spentFrom].every((time) => time === null || isWhole(time))
  return typeof kind === 'string' && isCounted && isTextOrNull(network) && areTimes
}

/** Who is never restricted by a policy. */
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

const reasonOf = (error: unknown) =>
  error instanceof Error ? error.message.replace(/\.$/, '') : String(error)
