import { getPublicSuffix } from 'tldts'
import { blockCovers, type Block } from '../destination/address.ts'
import { namesAbove } from '../destination/host.ts'
import { readSite } from '../destination/site.ts'

/**
 * Something about the entries of a list that is likely not meant: a whole public suffix, or an entry that a
 * wider one covers already.
 */
export type SiteFinding =
  | { readonly kind: 'whole-suffix'; readonly entry: string }
  | { readonly kind: 'covered'; readonly entry: string; readonly by: string }

/**
 * The findings about entries in canonical form, in their order. A public suffix is what the Public Suffix
 * List of browsers says, without its private part.
 */
export function siteFindings(entries: readonly string[]): SiteFinding[] {
  const all = new Set(entries)
  const blocks: { entry: string; block: Block }[] = []
  const findings: SiteFinding[] = []
  for (const entry of entries) {
    // Names are many and blocks few: only what may be one is read as one.
    if (/[:/]|^[\d.]+$/.test(entry)) {
      const site = readSite(entry)
      if (site && 'block' in site) blocks.push({ entry, block: site.block })
      continue
    }
    const above = namesAbove(entry)
    above.next()
    const by = [...above].find((name) => all.has(name))
    if (by) findings.push({ kind: 'covered', entry, by })
    else if (!entry.includes('.') || getPublicSuffix(entry, { allowPrivateDomains: false }) === entry)
      findings.push({ kind: 'whole-suffix', entry })
  }
  for (const { entry, block } of blocks) {
    const wider = blocks.find((other) => other.entry !== entry && blockCovers(other.block, block))
    if (wider) findings.push({ kind: 'covered', entry, by: wider.entry })
  }
  return findings
}
