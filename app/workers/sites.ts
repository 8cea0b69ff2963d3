import { errorText } from '../../core/words/error-text.ts'
import { siteFindings, type SiteFinding } from '../../core/findings/sites.ts'
import { readSites, type SiteReading } from '../../core/import/site-list.ts'

/** A text or a file to read sites out of. */
export interface SitesQuestion {
  readonly source: string | File
}

/** The result of reading, with its warnings, of which the first are told one by one. */
export type SitesSummary = SiteReading & {
  readonly findings: readonly SiteFinding[]
  readonly findingCount: number
}

export type SitesAnswer =
  { readonly progress: number } | { readonly summary: SitesSummary } | { readonly fault: string }

/** The warnings that are told one by one. */
const SHOWN = 100

self.onmessage = async ({ data: { source } }: MessageEvent<SitesQuestion>) => {
  const tell = (answer: SitesAnswer) => self.postMessage(answer)
  try {
    const reading = readSites(typeof source === 'string' ? source : await source.text(), (progress) =>
      tell({ progress }),
    )
    const findings = siteFindings(reading.entries)
    tell({ summary: { ...reading, findings: findings.slice(0, SHOWN), findingCount: findings.length } })
  } catch (error) {
    tell({ fault: errorText(error) })
  }
}
