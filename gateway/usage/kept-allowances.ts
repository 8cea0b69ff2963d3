import { join } from 'node:path'
import { isObject } from '../../core/policy/shape.ts'
import { readOrBegin, STATE_FILES, type ReadState } from '../state/state.ts'
import type { AllowanceState, Pool, SpentTime } from './allowances.ts'

/**
 * Reads what was used of allowances; where that cannot be done, `null`: what those who were blocked may do is
 * not known.
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
