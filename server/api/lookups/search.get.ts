import { searchForm } from '../../../protocol/forms.ts'
import { apiHandler, queryOf } from '../../http/api-handler.ts'
import { searchLookups } from '../../activity/lookups.ts'

export default apiHandler(async ({ sql, event, keepLookups, log }) => {
  // A gateway that is away is told of at the top of every page; what was kept is still an answer.
  await keepLookups().catch((error: unknown) => log.warn(error, 'look-ups'))
  return searchLookups(sql, await queryOf(event, searchForm))
})
