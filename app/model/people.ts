import type { State } from '../../core/decision/standing.ts'
import { joinStates, type StateRange } from '../../core/picture/band.ts'
import type { Policy } from '../../core/policy/types.ts'

/** The people of a policy: the groups that are somebody, in its order. */
export const peopleOf = ({ groups }: Pick<Policy, 'groups'>) => groups.filter(({ person }) => person)

/**
 * Joins the states of somebody's devices: theirs where all have the same, else partly blocked.
 *
 * @example jointState(['cut-off', 'cut-off']) // 'cut-off'
 * @example jointState(['cut-off', 'open']) // 'filtered'
 */
export function jointState(states: readonly State[]): State {
  const [first = 'open'] = states
  return states.every((state) => state === first) ? first : 'filtered'
}

/** Joins the stretches of somebody's devices, which all cover the same range, to those of one band. */
export function jointStretches(devices: readonly (readonly StateRange[])[]): StateRange[] {
  const edges = [...new Set(devices.flatMap((one) => one.flatMap(({ from, until }) => [from, until])))].sort(
    (a, b) => a - b,
  )
  const places = devices.map(() => 0)
  const joint = edges.slice(1).map((until, index): StateRange => {
    const from = edges[index]!
    const states = devices.map((one, device) => {
      while (one[places[device]!]!.until <= from) places[device]!++
      return one[places[device]!]!.state
    })
    return { from, until, state: jointState(states) }
  })
  return joinStates(joint)
}

/** A name of somebody that several devices have in front, such as “Lena” of “Lena’s tablet”. */
export interface Suggestion {
  readonly name: string
  readonly devices: readonly string[]
}

/**
 * Finds people by the names of devices (“Lena’s tablet”, “Lena’s phone”), with those of these devices that
 * are nobody's.
 */
export function suggestedPeople({ devices, groups }: Pick<Policy, 'devices' | 'groups'>): Suggestion[] {
  const owned = new Set(groups.filter(({ person }) => person).flatMap(({ members }) => members))
  const found = new Map<string, string[]>()
  for (const { id, name } of devices) {
    const [, owner] = /^(\S.*?)[’']s\s+\S/.exec(name) ?? []
    if (owner === undefined || owned.has(id)) continue
    found.set(owner, [...(found.get(owner) ?? []), id])
  }
  return [...found].map(([name, ids]) => ({ name, devices: ids }))
}
