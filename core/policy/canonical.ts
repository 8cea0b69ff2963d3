import canonicalize from 'canonicalize'
import { sha256 } from '@noble/hashes/sha2'
import { bytesToHex, utf8ToBytes } from '@noble/hashes/utils'
import type { Policy, SiteList } from './types.ts'

/**
 * The policy as a document without what is missing by default: no empty lists, names and notes, no false flags, no
 * `enabled: true`, no kind `other`. Reading it gives the same policy, with nothing spent.
 */
export function documentOf({ spent: _, ...policy }: Policy): Record<string, unknown> {
  return withoutDefaults(policy, '') as Record<string, unknown>
}

/**
 * The canonical text of a policy: its document without defaults as JSON with sorted keys and no blanks (RFC
 * 8785). What was spent is no part of it.
 */
export function canonicalText({ siteLists, spent: _, ...rest }: Policy): string {
  const texts = textsOf(rest)
  if (siteLists.length > 0) texts.set('siteLists', `[${siteLists.map(listText).join(',')}]`)
  return objectText(texts)
}

// A list may hold a million names, and stays the same object from one policy to the next.
const listTexts = new WeakMap<SiteList, string>()

const sitesWritten = new WeakMap<SiteList, () => string>()

function listText(list: SiteList): string {
  const written = sitesWritten.get(list)
  if (written) return listTextWith(list, written())
  const known = listTexts.get(list)
  if (known !== undefined) return known
  // Texts are written alike by both (section 3.2.2.2), and this way a million cost a twentieth.
  const text = listTextWith(list, list.entries.length > 0 ? JSON.stringify(list.entries) : null)
  listTexts.set(list, text)
  return text
}

function listTextWith({ entries: _, ...rest }: SiteList, sites: string | null): string {
  const texts = textsOf(rest)
  if (sites !== null) texts.set('entries', sites)
  return objectText(texts)
}

/** The same list without its sites, which canonical texts have all the same: `sites` writes them, as JSON. */
export function bareList(list: SiteList, sites: () => string): SiteList {
  const bare = { ...list, entries: [] }
  sitesWritten.set(bare, sites)
  return bare
}

const textsOf = (value: object) =>
  new Map(
    Object.entries(withoutDefaults(value, '') as object).map(([key, entry]) => [key, canonicalize(entry)!]),
  )

/** An object with its members by the UTF-16 units of their keys (section 3.2.3), as texts compare here. */
function objectText(texts: ReadonlyMap<string, string>): string {
  return `{${[...texts.keys()]
    .sort()
    .map((key) => `${JSON.stringify(key)}:${texts.get(key)}`)
    .join(',')}}`
}

/**
 * The digest of a policy: SHA-256 of its canonical text, as 64 hexadecimal digits. Two documents that mean
 * the same text for text have one digest.
 */
export function digestOf(policy: Policy): string {
  return digestOfText(canonicalText(policy))
}

/** The digest of a policy, by its canonical text. */
export function digestOfText(text: string): string {
  return bytesToHex(sha256(utf8ToBytes(text)))
}

/**
 * A short mark of one entry of a policy (a device, a rule, …), the same exactly while it says the same: 16
 * hexadecimal digits.
 */
export function versionTag(entry: object): string {
  return bytesToHex(sha256(utf8ToBytes(canonicalize(entry)!))).slice(0, 16)
}

function withoutDefaults(value: unknown, key: string): unknown {
  if (Array.isArray(value)) return value.map((entry) => withoutDefaults(entry, ''))
  if (typeof value !== 'object' || value === null) return value
  const entries = Object.entries(value)
    .map(([name, entry]): [string, unknown] => [name, withoutDefaults(entry, name)])
    .filter(([name, entry]) => !isDefault(name, entry))
  // `who`, `what` and `when` must be there even where they say nothing.
  return entries.length === 0 && key === 'except' ? undefined : Object.fromEntries(entries)
}

function isDefault(name: string, value: unknown): boolean {
  if (name === 'enabled') return value === true
  if (name === 'kind') return value === 'other'
  if (name === 'after' || name === 'more' || name === 'what') return value === null
  if (name === 'from') return value === '00:00'
  return (
    value === undefined ||
    value === false ||
    ((name === 'note' || name === 'name') && value === '') ||
    (Array.isArray(value) && value.length === 0)
  )
}
