import { readBlock } from '../destination/address.ts'

/** The forms in which a list of sites is written. */
export const SITE_FORMATS = ['plain', 'hosts', 'zone'] as const
export type SiteFormat = (typeof SITE_FORMATS)[number]

/**
 * Writes sites, one a line. A hosts file holds names only and none of those under them; a zone (RPZ) says
 * each name and every one under it, and blocks as addresses of answers.
 *
 * @example writeSites(['minigame.example'], 'hosts') // '0.0.0.0 minigame.example\n'
 */
export function writeSites(entries: readonly string[], format: SiteFormat): string {
  const lines = entries.flatMap((entry) => {
    if (format === 'plain') return [entry]
    if (format === 'hosts') return readBlock(entry) ? [] : [`0.0.0.0 ${entry}`]
    return zoneOwners(entry).map((owner) => `${owner} CNAME .`)
  })
  const head =
    format === 'zone'
      ? ['$TTL 300', '@ SOA localhost. hostmaster.localhost. 1 3600 600 86400 300', '@ NS localhost.']
      : []
  return [...head, ...lines].map((line) => `${line}\n`).join('')
}

/**
 * The owners of the records that say a site in a response policy zone: the name and all under it, or a
 * block.
 *
 * @example zoneOwners('minigame.example') // ['minigame.example', '*.minigame.example']
 */
export function zoneOwners(entry: string): readonly string[] {
  return readBlock(entry) ? [responseOwner(entry)] : [entry, `*.${entry}`]
}

function responseOwner(entry: string): string {
  const [address, prefix] = entry.split('/') as [string, string | undefined]
  if (!address.includes(':')) return `${prefix ?? 32}.${address.split('.').toReversed().join('.')}.rpz-ip`
  const parts = address
    .replace(/^::$/, 'zz')
    .replace(/^::/, 'zz:')
    .replace(/::$/, ':zz')
    .replace('::', ':zz:')
    .split(':')
  return `${prefix ?? 128}.${parts.toReversed().join('.')}.rpz-ip`
}
