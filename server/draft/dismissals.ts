import { tell, type Sql } from '../database/database.ts'
import { removeDismissal, saveDismissal, type Dismissal } from './dismissal-sql.ts'
import { record } from '../accounts/audit.ts'
import { ApiError } from '../errors.ts'

export { dismissals } from './dismissal-sql.ts'

/**
 * Dismisses a finding of the draft, or gives its dismissal another reason.
 *
 * @throws ApiError `not-found` where its mark is none
 */
export async function dismiss(sql: Sql, dismissal: Dismissal): Promise<void> {
  if (!/^[0-9a-f]{16}$/.test(dismissal.mark))
    throw new ApiError('not-found', 'A finding is named by its mark of 16 hexadecimal digits.')
  await saveDismissal(sql, dismissal)
  await record(sql, 'edit', `Warning dismissed: ${dismissal.reason}`)
  await tell(sql, 'draft')
}

/**
 * Shows a dismissed finding again.
 *
 * @throws ApiError `not-found`
 */
export async function showAgain(sql: Sql, mark: string): Promise<void> {
  if (!(await removeDismissal(sql, mark))) throw new ApiError('not-found', 'That warning is not dismissed.')
  await record(sql, 'edit', 'Dismissed warning shown again')
  await tell(sql, 'draft')
}
