import type { StateAt } from '../../../core/decision/moment.ts'
import { isBlocked, type State } from '../../../core/decision/standing.ts'
import type { Ranges } from '../../../core/time/ranges.ts'
import type { Sort } from '../../stores/view.ts'
import { networksText } from '../../text/settings/networks.ts'
import type { Row } from './board-rows.ts'

/** A row of the board with how it stands at the moment, and when overrides name it. */
export interface Line {
  readonly row: Row
  readonly moment: StateAt
  readonly brackets: readonly { from: number; until: number }[]
  /** The times at which it may be blocked by a used-up allowance, and the note on its allowances. */
  readonly mayBe: Ranges
  readonly note: string
}

/** Returns the lines that are wanted: by state, by group, by a text in name, group, network or address. */
export interface Wanted {
  readonly state: State | 'blocked' | ''
  readonly group: string
  readonly text: string
}

/**
 * A heading over the lines of a group or network, with how many it has and how many of them are blocked; or
 * a line.
 */
export type Item =
  | { readonly key: string; readonly section: string; readonly count: number; readonly blocked: number }
  | { readonly key: string; readonly line: Line }

const RANK: Readonly<Record<State, number>> = { 'cut-off': 0, 'listed-only': 1, 'filtered': 2, 'open': 3 }

/** The lines that are wanted, in the order asked; of equals the order of the board stays. */
export function wantedLines(lines: readonly Line[], { state, group, text }: Wanted, sort: Sort): Line[] {
  const words = text.trim().toLowerCase().split(/\s+/).filter(Boolean)
  const wanted = lines.filter(
    ({ row, moment }) =>
      (state === '' || (state === 'blocked' ? isBlocked(moment.state) : moment.state === state)) &&
      (group === '' || row.groups.includes(group)) &&
      words.every((word) =>
        `${row.name} ${row.groups.join(' ')} ${row.network} ${row.macs.join(' ')}`
          .toLowerCase()
          .includes(word),
      ),
  )
  const orders: Record<Sort, (a: Line, b: Line) => number> = {
    'group': () => 0,
    'network': () => 0,
    'name': (a, b) => a.row.name.localeCompare(b.row.name),
    'state': (a, b) => RANK[a.moment.state] - RANK[b.moment.state],
    'next change': (a, b) =>
      (a.moment.until ?? Infinity) === (b.moment.until ?? Infinity)
        ? 0
        : (a.moment.until ?? Infinity) - (b.moment.until ?? Infinity),
  }
  return wanted.sort(orders[sort])
}

/**
 * The lines with a heading over each group or network, those of folded ones left out; without headings where
 * they are in another order.
 */
export function boardItems(lines: readonly Line[], sort: Sort, folded: ReadonlySet<string>): Item[] {
  if (sort !== 'group' && sort !== 'network') return lines.map((line) => ({ key: line.row.key, line }))
  const sectionOf = ({ row }: Line) => (sort === 'group' ? row.section : row.network || networksText.inNone)
  const sections = [...new Set(lines.map(sectionOf))]
  return sections.flatMap((section): Item[] => {
    const inSection = lines.filter((line) => sectionOf(line) === section)
    const heading = {
      key: `section ${section}`,
      section,
      count: inSection.length,
      blocked: inSection.filter(({ moment }) => isBlocked(moment.state)).length,
    }
    return [heading, ...(folded.has(section) ? [] : inSection.map((line) => ({ key: line.row.key, line })))]
  })
}
