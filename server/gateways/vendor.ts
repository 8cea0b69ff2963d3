import { mayChange } from '../../core/destination/mac.ts'

let registry: Promise<Readonly<Record<string, string>>> | undefined

/**
 * The maker of an adapter by the IEEE registry: the longest of its 36-, 28- and 24-bit prefixes. `null` where
 * the address is locally administered, which no registry knows, or unknown.
 */
export async function makerOf(mac: string): Promise<string | null> {
  if (mayChange(mac)) return null
  // Loaded at the first question: it is some megabytes.
  const entries = await (registry ??= import('oui-data').then(
    (data) => data.default as Record<string, string>,
  ))
  const digits = mac.replaceAll(':', '').toUpperCase()
  const entry = [9, 7, 6]
    .map((length) => entries[digits.slice(0, length)])
    .find((found) => found !== undefined)
  return entry?.split('\n')[0] ?? null
}
