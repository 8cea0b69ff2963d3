import type { Plan } from '../../core/plan/plan.ts'
import { courseOfHost, TABLE, towardsCourse, VERSIONS, versionOf, type Host } from './table-setting.ts'

/** Who has an address, as elements of the map of a version of IP. */
export function hostElements(hosts: readonly Host[], version: 4 | 6, plan: Plan): string[] {
  const courseOf = courseOfHost(plan)
  return hosts
    .filter(({ address }) => versionOf(address) === version)
    .map((host) => `"${host.interface}" . ${host.address} : ${towardsCourse(courseOf(host))}`)
}

/**
 * Lines that bring the maps of hosts up to date: addresses that are gone, or have another course now, and
 * those that are there.
 */
export function hostLines(gone: readonly Host[], come: readonly Host[], plan: Plan): string {
  return VERSIONS.map(({ set, version }) => {
    const line = (act: string, hosts: readonly Host[]) => {
      const all = hostElements(hosts, version, plan)
      return all.length === 0 ? '' : `${act} element ${TABLE} hosts${set} { ${all.join(', ')} }\n`
    }
    return line('delete', gone) + line('add', come)
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
