import { digestOfText } from '../../core/policy/canonical.ts'
import { readSites } from '../../core/import/site-list.ts'
import { blockCovers, readBlock } from '../../core/destination/address.ts'
import { namesAbove } from '../../core/destination/host.ts'

/** The sites of a change that are shown by name. */
const SAMPLE = 20
/** The share of lines that may be unreadable before a text is taken for no list. */
const MOST_UNREAD = 0.1

/** A text that came for a list, and what it is held against; lists have one site a line. */
export interface ListJob {
  readonly text: string
  /** The sites that are live. */
  readonly before: string
  /** The largest change that goes live by itself, in percent. */
  readonly share: number
  /** The sites that rules allow: by other lists, apps and their own sites; and by this list. */
  readonly needed: string
  readonly own: string
}

/**
 * The result of a comparison: no list, no change, or another list and the reason why it waits (`null` = it does
 * not).
 */
export type ListFound =
  | { readonly fault: string }
  | { readonly same: true }
  | {
      readonly mark: string
      readonly same: false
      readonly entries: string
      readonly added: number
      readonly removed: number
      readonly sample: readonly string[]
      readonly why: string | null
    }

/** Returns the fingerprint of some sites, whatever their order: SHA-256 in hexadecimal digits. */
export const markOf = (entries: readonly string[]) => digestOfText([...entries].sort().join('\n'))

/** Reads a text as a list, and holds it against what is live. Over a million sites that takes seconds. */
export function compareList({ text, before, share, needed, own }: ListJob): ListFound {
  const { entries, unread } = readSites(text)
  const first = unread[0]
  const isOther = entries.length === 0 || unread.length > MOST_UNREAD * (entries.length + unread.length)
  if (isOther)
    return {
      fault: first
        ? `What came is not a list of sites: line ${first.line}: ${first.message}`
        : 'The list is empty',
    }
  const [was, is] = [new Set(linesOf(before)), new Set(entries)]
  const added = entries.filter((entry) => !was.has(entry))
  const removed = [...was].filter((entry) => !is.has(entry))
  if (added.length + removed.length === 0) return { same: true }
  const sample = [
    ...added.slice(0, SAMPLE).map((entry) => `+ ${entry}`),
    ...removed.slice(0, SAMPLE).map((entry) => `− ${entry}`),
  ]
  const change = { added: added.length, removed: removed.length }
  const why =
    tooMuch(was.size, change, share) ??
    allowed(added, removed, new Set(linesOf(needed)), new Set(linesOf(own)))
  return { same: false, mark: markOf(entries), entries: entries.join('\n'), ...change, sample, why }
}

const linesOf = (text: string) => text.split('\n').filter(Boolean)

/** Whether so much changes that it waits. */
function tooMuch(
  count: number,
  { added, removed }: { added: number; removed: number },
  share: number,
): string | null {
  const most = (count * share) / 100
  if (count > 0 && removed > most) return `It would lose ${removed} of ${count} sites, more than ${share}%.`
  if (count > 0 && added > most) return `It would grow by ${added} sites from ${count}, more than ${share}%.`
  return null
}

/** Whether it touches what a rule allows. */
function allowed(
  added: readonly string[],
  removed: readonly string[],
  names: ReadonlySet<string>,
  own: ReadonlySet<string>,
): string | null {
  const touched = added.find((entry) => touches(entry, names)) ?? removed.find((entry) => own.has(entry))
  return touched === undefined ? null : `It changes ${touched}, which a rule allows.`
}

/** Whether a site covers one of some, or is covered by one. */
function touches(entry: string, names: ReadonlySet<string>): boolean {
  const block = readBlock(entry)
  if (block) {
    for (const name of names) {
      const other = readBlock(name)
      if (other && (blockCovers(block, other) || blockCovers(other, block))) return true
    }
    return false
  }
  for (const above of namesAbove(entry)) if (names.has(above)) return true
  for (const name of names) if (name.endsWith(`.${entry}`)) return true
  return false
}
