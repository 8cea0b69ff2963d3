import type { Plan } from '../../../../core/plan/plan.ts'
import { translatedText } from '../../../../core/destination/address.ts'
import {
  courseOfHost,
  LIVES,
  namesOf,
  TABLE,
  towardsCourse,
  VERSIONS,
  versionOf,
  type Host,
} from './table-setting.ts'

/** Returns the owners of addresses as elements of the map of a version of IP. */
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
      return inLines(act, `hosts${set}`, all)
    }
    return line('delete', gone) + line('add', come)
  }).join('')
}

/** Addresses that the names of a clause have (its id), each with the seconds for which it counts. */
export interface NamedAddresses {
  readonly clause: string
  readonly addresses: ReadonlyMap<string, number>
}

/**
 * Lines that put addresses of names into the sets of their clauses, which stand once for each version of IP. An
 * address of IPv4 is that of IPv6, too, which translates to it.
 */
export function namedLines(
  { clause, addresses }: NamedAddresses,
  plan: Plan,
  closedAddresses: boolean,
): string {
  const place = plan.clauses.findIndex(({ id }) => id === clause)
  const name = place < 0 ? null : namesOf(plan.clauses[place]!, place, closedAddresses)
  if (name === null) return ''
  const all = [...addresses].flatMap(([address, left]) =>
    [address, translatedText(address)].flatMap((text) => (text === null ? [] : [{ text, left }])),
  )
  return VERSIONS.map(({ set, version }) =>
    inLines(
      'add',
      `${name}${set}`,
      all
        .filter(({ text }) => versionOf(text) === version)
        .map(({ text, left }) => `${text} timeout ${Math.max(1, Math.min(LIVES, Math.ceil(left)))}s`),
    ),
  ).join('')
}

/** The elements in one line: nft takes no more than a few thousand at once. */
const IN_A_LINE = 2000

function inLines(act: string, set: string, elements: readonly string[]): string {
  const lines = Array.from({ length: Math.ceil(elements.length / IN_A_LINE) }, (_, index) => {
    const part = elements.slice(index * IN_A_LINE, (index + 1) * IN_A_LINE)
    return `${act} element ${TABLE} ${set} { ${part.join(', ')} }\n`
  })
  return lines.join('')
}
