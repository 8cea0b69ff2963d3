import type { AuditKind } from '../../../protocol/audit.ts'

/** The words for the kinds of entries of the audit log. */
export const AUDIT_KIND_WORDS: Readonly<Record<AuditKind, string>> = {
  'edit': 'Edits',
  'apply': 'Applied changes',
  'override': 'Overrides',
  'request': 'Requests',
  'sign-in': 'Sign-ins',
  'people': 'People',
  'settings': 'Settings',
  'export': 'Exports',
}

/** The texts of the audit log. */
export const auditText = {
  pageTitle: 'Who did what · Kairostat',
  title: 'Who did what',
  loading: 'Loading who did what…',
  nothingYet: 'Nothing was done yet',
  noMatch: 'Nothing matches',
  search: 'Words, people, addresses',
  kind: 'What it is about',
  allKinds: 'Everything',
  who: 'By whom',
  everybody: 'Everybody',
  nobody: 'not signed in',
  exportCsv: 'Export as CSV',
  earlier: 'Show earlier ones',
  kept: 'Delete entries after',
  days: (days: number | null) => (days === null ? 'never' : `${days} days`),
}
