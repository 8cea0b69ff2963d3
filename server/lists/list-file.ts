import { writeSites, type SiteFormat } from '../../core/export/site-list.ts'
import { digestOfText } from '../../core/policy/canonical.ts'
import type { SiteList } from '../../core/policy/types.ts'
import type { Sql } from '../database/database.ts'
import { ApiError } from '../errors.ts'
import { livePolicy } from '../live/live.ts'

/** A list as a file, and a tag that is the same exactly while it says the same (RFC 9110, section 8.8.3). */
interface ListFile {
  readonly text: string
  readonly tag: string
}

// A list of a million sites is written once, however often it is asked for.
const written = new WeakMap<SiteList, Map<SiteFormat, ListFile>>()

/**
 * A live list as a file for other programs.
 *
 * @throws ApiError `not-found`
 */
export async function listFile(sql: Sql, id: string, format: SiteFormat): Promise<ListFile> {
  const { policy } = await livePolicy(sql)
  const list = policy.siteLists.find((one) => one.id === id)
  if (!list) throw new ApiError('not-found', 'What is live has no such list: apply it first.')
  const files = written.get(list) ?? new Map<SiteFormat, ListFile>()
  written.set(list, files)
  const known = files.get(format)
  if (known) return known
  const text = writeSites(list.entries, format)
  const file = { text, tag: `"${digestOfText(text).slice(0, 32)}"` }
  files.set(format, file)
  return file
}
