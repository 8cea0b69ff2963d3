import { NOTHING, plus, type Count, type Flow } from '../../../protocol/gateway/evidence.ts'

/** The counts of a device or a clause. */
export interface Counted {
  readonly passed: Count
  /** The part of the passed traffic that came from outside. */
  readonly received: Count
  readonly dropped: Count
  readonly logged: Count
  readonly lastDrop: Flow | null
}

/** Counts a flow of a device or a clause. */
export function count(all: Map<string, Counted>, key: string, flow: Flow): void {
  const before = all.get(key) ?? {
    passed: NOTHING,
    received: NOTHING,
    dropped: NOTHING,
    logged: NOTHING,
    lastDrop: null,
  }
  const part = ({ allow: 'passed', block: 'dropped', log: 'logged' } as const)[flow.effect]
  all.set(key, {
    ...before,
    [part]: plus(before[part], sizeOf(flow)),
    ...(flow.effect === 'allow' && { received: plus(before.received, receivedOf(sizeOf(flow))) }),
    ...(flow.effect === 'block' && { lastDrop: flow }),
  })
}

/**
 * Returns the size of a try: one that is dropped, its first packet once more; one that passes more, by its
 * place.
 */
function sizeOf({ to, effect }: Flow): Count {
  if (effect === 'block') return { packets: 2, bytes: 120 }
  const packets = 8 + (to.length % 17)
  return { packets, bytes: packets * 640 }
}

/** Of what passes, most packets and nearly all bytes are answers. */
const receivedOf = ({ packets, bytes }: Count): Count => ({
  packets: Math.ceil(packets * 0.6),
  bytes: Math.ceil(bytes * 0.9),
})
