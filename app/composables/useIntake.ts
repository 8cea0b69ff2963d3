import type { IntakeQuestion, IntakeSummary } from '../workers/intake.ts'
import type { SitesQuestion, SitesSummary } from '../workers/sites.ts'
import { useReader } from './useReader.ts'

/** Reads addresses out of a text or a file, and what taking them in would do. */
export const useIntake = () =>
  useReader<IntakeQuestion, IntakeSummary>(
    () => new Worker(new URL('../workers/intake.ts', import.meta.url), { type: 'module' }),
  )

/** Reads sites out of a text or a file. */
export const useSites = () =>
  useReader<SitesQuestion, SitesSummary>(
    () => new Worker(new URL('../workers/sites.ts', import.meta.url), { type: 'module' }),
  )
