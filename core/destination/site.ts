import { readBlock, type Block } from './address.ts'
import { isPlainHost, readHost } from './host.ts'

/** A site: a host name that stands for itself and every name under it, or an address block. */
export type Site = { readonly host: string } | { readonly block: Block }

/** Reads a site; `null` where the text is neither a host name nor an address or CIDR block. */
export function readSite(text: string): Site | null {
  // Of a million names nearly all are that, and no address ends with a letter before which no colon stands.
  if (isPlainHost(text)) return { host: text }
  const block = readBlock(text)
  if (block) return { block }
  const host = readHost(text)
  return host ? { host } : null
}

/**
 * Writes a site in its canonical form.
 *
 * @example siteText(readSite('203.0.113.7')!) // '203.0.113.7'
 */
export function siteText(site: Site): string {
  return 'host' in site ? site.host : site.block.text
}

/**
 * Why a text is no site, with the remedy where the slip is a common one.
 *
 * @example siteFault('a b') // 'is not a site: write a host name (reelbrook.example), an IP address or a block (203.0.113.0/24)'
 */
export function siteFault(text: string): string {
  if (text.startsWith('*.'))
    return `is not a site: a name covers every name under it, so write ${text.slice(2)}`
  if (text.includes('://')) return 'is not a site: write the host name alone, without scheme and path'
  return 'is not a site: write a host name (reelbrook.example), an IP address or a block (203.0.113.0/24)'
}
