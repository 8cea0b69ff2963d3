import type { Effect } from '../../core/policy/types.ts'

/**
 * One connection or look-up that a device tried, and what became of it; `log` = a rule that is only logged
 * covers it, and what became of it another flow says.
 */
export interface Flow {
  readonly at: string
  readonly mac: string
  readonly to: string
  readonly effect: Effect | 'log'
  /** The rule or override that decided or logged it, `null` where none spoke of it. */
  readonly because: string | null
}

/**
 * Packets, and the bytes of IP in them. A simulated network counts each try as the packets that it would
 * take.
 */
export interface Count {
  readonly packets: number
  readonly bytes: number
}
export const NOTHING: Count = { packets: 0, bytes: 0 }
/** Two counts as one; the second so many times. */
export function plus(a: Count, b: Count, times: 1 | -1 = 1): Count {
  return {
    packets: Math.max(0, a.packets + times * b.packets),
    bytes: Math.max(0, a.bytes + times * b.bytes),
  }
}

/**
 * The counts of an adapter: what was seen of its connections, both ways (of a newcomer, what it sent),
 * what of that was dropped and what passed, and what of what passed came from outside (of a newcomer nothing).
 */
export interface AdapterCount {
  readonly mac: string
  readonly seen: Count
  readonly passed: Count
  readonly received: Count
  readonly dropped: Count
  readonly lastDrop: Flow | null
}
/**
 * The counts of a rule or override: what it let through, both ways, what it dropped of what was sent,
 * and what it spoke of where it is only logged.
 */
export interface ClauseCount {
  readonly id: string
  readonly passed: Count
  readonly dropped: Count
  readonly logged: Count
  readonly lastDrop: Flow | null
}

/**
 * The counts of the gateway since it has held a policy (`null` = it never did), under one after the other; and
 * the latest flows, newest first.
 */
export interface Evidence {
  readonly since: string | null
  readonly devices: readonly AdapterCount[]
  readonly clauses: readonly ClauseCount[]
  readonly recent: readonly Flow[]
}
