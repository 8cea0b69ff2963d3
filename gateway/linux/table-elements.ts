import type { Plan } from '../../core/plan/plan.ts'
import { courseOfMac, TABLE, towardsCourse, VERSIONS, versionOf, type Host } from './table-setting.ts'

/** Who has an address, as an element of its map. */
export function hostElement(
  { address, mac }: Host,
  courses: ReadonlyMap<string, number | null>,
  { newcomers }: Plan,
): string {
  return `${address} : ${towardsCourse(courses.has(mac) ? courses.get(mac)! : newcomers)}`
}

/**
 * Lines that bring the maps of hosts up to date: addresses that are gone, or have another course now, and
 * those that are there.
 */
export function hostLines(gone: readonly Host[], come: readonly Host[], plan: Plan): string {
  const courses = courseOfMac(plan)
  return VERSIONS.map(({ set, version }) => {
    const ofVersion = (all: readonly Host[]) => all.filter(({ address }) => versionOf(address) === version)
    const line = (act: string, all: readonly string[]) =>
      all.length === 0 ? '' : `${act} element ${TABLE} hosts${set} { ${all.join(', ')} }\n`
    return (
      line(
        'delete',
        ofVersion(gone).map((host) => hostElement(host, courses, plan)),
      ) +
      line(
        'add',
        ofVersion(come).map((host) => hostElement(host, courses, plan)),
      )
    )
  }).join('')
}

/** Addresses for a set of our table, which stands once for each version of IP. */
export interface SetElements {
  readonly set: string
  readonly addresses: readonly string[]
}

/** Lines that put addresses into sets. */
export function elementLines(all: readonly SetElements[]): string {
  const lines = all.flatMap(({ set: name, addresses }) =>
    VERSIONS.map(({ set, version }) => {
      const ofVersion = addresses.filter((address) => versionOf(address) === version)
      return ofVersion.length === 0 ? '' : `add element ${TABLE} ${name}${set} { ${ofVersion.join(', ')} }\n`
    }),
  )
  return lines.join('')
}
